import { useState } from "react";
import type { Schemas } from "../api/client";
import { useShelf } from "../api/useShelf";
import { Button, TextButton } from "../ui/Button";
import { Choice } from "../ui/Choice";
import { NumberField, TextField } from "../ui/Field";
import { OpenRow } from "../ui/Row";
import type { Station } from "./useStation";

type Replaced = Schemas["DesignDocument"]["replaced"][number];

/** Colours of the art that are printed as others: pressed in the art, then said what they become. */
export function ReplacedColours({ station }: { station: Station }) {
  const { design, change, picking, setPicking } = station;
  const all = design.document.replaced;
  const put = (words: string, replaced: Replaced[]) => change(words, { replaced });
  return (
    <>
      {all.map((one, index) => (
        <OneColour
          key={`${one.colour}${index}`}
          station={station}
          index={index}
          put={(changes) =>
            put(
              "what a colour becomes",
              all.map((other, at) => (at === index ? { ...other, ...changes } : other)),
            )
          }
          remove={() => {
            station.setMark(null);
            put(
              "a colour as it came",
              all.filter((_, at) => at !== index),
            );
          }}
        />
      ))}
      {picking === "colour" ? (
        <TextButton onClick={() => setPicking(null)}>Press the colour in the art, or stop here</TextButton>
      ) : (
        <TextButton onClick={() => setPicking("colour")}>Replace a colour</TextButton>
      )}
    </>
  );
}

type OneProps = { station: Station; index: number; put: (changes: Partial<Replaced>) => void; remove: () => void };

function OneColour({ station: { design, mark, setMark, setView }, index, put, remove }: OneProps) {
  const { shelf } = useShelf();
  const [open, setOpen] = useState(true);
  const one = design.document.replaced[index];
  if (!one) return null;
  const inks = (shelf?.ink_colour ?? []).filter(({ away }) => !away);
  const kind = one.to.startsWith("#") ? "colour" : one.to;
  const words = kind === "colour" ? one.to : (inks.find(({ id }) => `ink ${id}` === one.to)?.name ?? one.to);
  const choices: [string, string][] = [
    ["white", "white"],
    ["colour", "a colour"],
    ...inks.map(({ id, name }): [string, string] => [`ink ${id}`, name]),
  ];
  return (
    <OpenRow
      label={one.colour}
      shown={
        <span className="inline-flex items-center gap-1.5">
          <Spot colour={one.colour} /> → {one.to.startsWith("ink") ? null : <Spot colour={one.to} />} {words}
        </span>
      }
      why="What is that colour in strokes, areas and pictures is printed as another one. The art stays as it came."
      open={open}
      setOpen={setOpen}
    >
      <Choice
        label={`${one.colour} becomes`}
        value={kind}
        choices={choices}
        onChange={(to) => put({ to: to === "colour" ? one.colour : to })}
      />
      {kind === "colour" && (
        <div className="mt-2 flex items-center gap-2">
          <input
            type="color"
            aria-label={`${one.colour} becomes this colour`}
            value={one.to}
            onChange={(event) => put({ to: event.target.value })}
            className="h-9 w-12 rounded-[5px] border border-rule bg-white"
          />
          <TextField label="As #rrggbb" value={one.to} onChange={(to) => /^#[0-9a-f]{6}$/i.test(to) && put({ to: to.toLowerCase() })} />
        </div>
      )}
      <div className="mt-2">
        <div className="mb-1">And what is within</div>
        <NumberField
          label="And what is within"
          why=""
          kind="plain"
          suffix="ΔE"
          decimals={1}
          least={0.5}
          most={40}
          step={1}
          value={one.within}
          onChange={(within) => put({ within })}
        />
      </div>
      <div className="mt-2 flex gap-2">
        <Button
          narrow
          aria-pressed={mark === index}
          onClick={() => {
            setView("print");
            setMark(mark === index ? null : index);
          }}
        >
          Show where
        </Button>
        <Button narrow onClick={remove}>
          As it came
        </Button>
      </div>
    </OpenRow>
  );
}

function Spot({ colour }: { colour: string }) {
  return <i className="inline-block h-4 w-4 rounded-[3px] border border-rule" style={{ background: colour }} />;
}
