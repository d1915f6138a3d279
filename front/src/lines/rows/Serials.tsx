import type { PutRows, Serial } from "../../api/useRows";
import { Button, TextButton } from "../../ui/Button";
import { ChoiceRow } from "../../ui/Choice";
import { NumberRow, TextField } from "../../ui/Field";
import { Labelled } from "../../ui/Row";

const CHECKS: [Serial["check"], string][] = [
  ["none", "none"],
  ["mod 10", "mod 10 (EAN)"],
  ["luhn", "mod 10 (Luhn)"],
  ["mod 11", "mod 11"],
  ["mod 43", "mod 43"],
  ["mod 11-2", "ISO 7064, 11-2"],
  ["mod 37-2", "ISO 7064, 37-2"],
  ["mod 97-10", "ISO 7064, 97-10"],
  ["mod 11,10", "ISO 7064, 11,10"],
  ["mod 37,36", "ISO 7064, 37,36"],
];
const FIRST: Serial = { name: "Serial", start: 1, step: 1, width: 6, prefix: "", suffix: "", check: "none", covers: "all" };

/** Columns that count up with the rows. */
export function Serials({ serials, put }: { serials: Serial[]; put: PutRows }) {
  const name = serials.some((one) => one.name === "Serial") ? `Serial ${serials.length + 1}` : "Serial";
  return (
    <>
      {serials.map((one, index) => (
        <OneSerial
          key={index}
          serial={one}
          put={(words, changes) => put(words, { serials: serials.map((other, at) => (at === index ? { ...other, ...changes } : other)) })}
          remove={() => put(`${one.name} taken away`, { serials: serials.filter((_, at) => at !== index) })}
        />
      ))}
      <div className="mt-2 flex">
        <Button narrow onClick={() => put("a serial", { serials: [...serials, { ...FIRST, name }] })}>
          Add a serial
        </Button>
      </div>
    </>
  );
}

function OneSerial({
  serial,
  put,
  remove,
}: {
  serial: Serial;
  put: (words: string, changes: Partial<Serial>) => void;
  remove: () => void;
}) {
  const numbers: [string, "start" | "step" | "width", number, string, string?][] = [
    ["Begins at", "start", 0, "What row 1 has."],
    ["Goes on by", "step", -1e9, "How much more the next row has."],
    ["Digits", "width", 0, "Zeros stand before shorter numbers; a longer one is told as wrong.", "as many as it has"],
  ];
  return (
    <div className="mb-3">
      <p className="mt-1 font-semibold">{`{${serial.name}}`}</p>
      {numbers.map(([label, key, least, why, zero]) => (
        <NumberRow
          key={key}
          label={label}
          kind="plain"
          decimals={0}
          step={1}
          least={least}
          value={serial[key]}
          zero={zero}
          why={why}
          onChange={(value) => put(label.toLowerCase(), { [key]: Math.round(value) })}
        />
      ))}
      <div className="flex gap-2">
        {(["prefix", "suffix"] as const).map((key) => (
          <Labelled key={key} words={key === "prefix" ? "Before it" : "Behind it"}>
            <TextField
              label={key === "prefix" ? "Before it" : "Behind it"}
              longest={60}
              value={serial[key]}
              onChange={(value) => put(key, { [key]: value })}
            />
          </Labelled>
        ))}
      </div>
      <ChoiceRow
        label="Check character"
        value={serial.check}
        choices={CHECKS}
        why="Stands behind the digits, so that a mistyped one is found."
        onChange={(check) => put("check character", { check })}
      />
      {serial.check !== "none" && (
        <ChoiceRow
          label="It covers"
          value={serial.covers}
          choices={[
            ["all", "what stands before it too"],
            ["digits", "the digits alone"],
          ]}
          why="What the check character is worked out from."
          onChange={(covers) => put("what the check covers", { covers })}
        />
      )}
      <TextButton onClick={remove}>Take it away</TextButton>
    </div>
  );
}
