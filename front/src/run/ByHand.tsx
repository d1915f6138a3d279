import { acrossOf, frameStarts } from "../roll/scene";
import { Button } from "../ui/Button";
import { Row, Section } from "../ui/Row";
import { figure, length, useUnit } from "../ui/units";
import { keyOf, type Station } from "./useStation";

/** The chosen pieces: where they lie, and what hands can do with them. */
export function ByHand({ station }: { station: Station }) {
  const { run, chosen, hand, withChosen } = station;
  const [one] = chosen;
  if (!one) return null;
  const name = run.pieces.find((piece) => String(piece.design_id) === one.id)?.name ?? "";
  const acts = [
    ["Turn left", ",", () => withChosen({ do: "turn", degrees: 90 })],
    ["Turn right", ".", () => withChosen({ do: "turn", degrees: -90 })],
    [station.allPinned ? "Let go" : "Pin", "P", station.pin],
    ["Double", "D", () => withChosen({ do: "double" })],
    ["Take off", "Del", () => withChosen({ do: "take off" })],
  ] as const;
  return (
    <Section title={chosen.length === 1 ? `Piece: ${name}` : `${chosen.length} pieces`}>
      {chosen.length === 1 && <Place run={run} piece={one} />}
      <div role="group" aria-label="By hand" className="flex flex-wrap gap-1.5 py-2">
        {acts.map(([words, key, act]) => (
          <Button key={key} narrow hint={key} onClick={() => void act()} disabled={hand.isPending}>
            {words}
          </Button>
        ))}
      </div>
      <div role="group" aria-label="Align" className="grid grid-cols-3 gap-1.5 border-t border-rule pt-2">
        <span className="col-span-3 text-[12px] text-slate">
          {chosen.length > 1 ? "Align with each other" : "Align with the work"}, across and along the feed
        </span>
        {(["left", "centre", "right", "head", "middle", "tail"] as const).map((to) => (
          <button
            key={to}
            type="button"
            onClick={() => void withChosen({ do: "align", to })}
            disabled={hand.isPending}
            className="h-9 rounded-[5px] border border-rule bg-white px-1.5 capitalize hover:border-slate"
          >
            {to}
          </button>
        ))}
      </div>
    </Section>
  );
}

function Place({ run, piece }: { run: Station["run"]; piece: Station["chosen"][number] }) {
  const unit = useUnit((state) => state.unit);
  const frame = piece.sheet ?? 0;
  const plan = run.plans[frame];
  const [right, along] = plan?.shift ?? [0, 0];
  return (
    <div key={keyOf(piece)}>
      <Row label="From the left · along">
        {length(piece.x_mm + right + (plan ? acrossOf(plan) : 0), unit)} ·{" "}
        {length(piece.y_mm + along + (frameStarts(run)[frame] ?? 0), unit)} {unit}
      </Row>
      <Row label="Turned">{figure(piece.rotation_deg, 0)}°</Row>
    </div>
  );
}
