import { ColoursHere } from "./ColoursHere";
import { Companion } from "./Companion";
import { Action, Button } from "../ui/Button";
import type { PlateSet, Sheet } from "../api/usePrint";
import { useMay } from "../people/usePeople";
import { areCorrected, ColourRows } from "../ui/ColourRows";
import { ChoiceRow } from "../ui/Choice";
import { Big } from "../ui/Readings";
import { Fold, Row, Section } from "../ui/Row";
import { figure, length, useUnit } from "../ui/units";
import { Working } from "../ui/Working";
import { Checks } from "./Checks";
import { ModeRow } from "./ModeRow";
import { OnePrint } from "./OnePrint";
import { Stack } from "./Stack";
import { StripSeen } from "./StripSeen";
import { Together } from "./Together";
import type { Station } from "./useStation";

/** What is to be read and done at Print: the next step, what is checked before, how it is printed, what it takes, the sheets. */
export function PrintReadings({ station }: { station: Station }) {
  const unit = useUnit((state) => state.unit);
  const books = useMay("BOOKS");
  const { shown, next, sending, filming, hands, stopped } = station;
  const held = shown.sheets.filter((sheet) => sheet.state === "held").sort((one, other) => one.id - other.id);
  const states = { hands, sending: sending.progress, filming: filming.progress, blocked: stopped };
  const stripOf = (sheet: Sheet) => {
    const strip = shown.strips[sheet.id];
    const take = (file: File) => station.readStrip.mutate({ sheet, file });
    return strip && <StripSeen name={sheet.name} strip={strip} take={take} taking={station.readStrip.isPending} />;
  };
  return (
    <>
      <div className="flex justify-between">
        <Big label="length" value={shown.length_mm === null ? "–" : length(shown.length_mm, unit, 0)} unit={unit} />
        {(books || shown.stock_cost) && (
          <Big label={shown.costs ? "cost" : "stock"} value={shown.costs?.total ?? shown.stock_cost ?? "–"} unit={shown.currency} end />
        )}
      </div>
      {station.place && (
        <ColoursHere plate={station.place.plate} x={station.place.x} y={station.place.y} close={() => station.setPlace(null)} />
      )}
      {next && !sending.progress && (
        <section aria-label="Next" className="mt-3">
          <OnePrint sheet={next} {...states} strip={stripOf(next)} main />
        </section>
      )}
      <Sending station={station} />
      <Queue station={station} />
      <Together station={station} />
      <Checks station={station} />
      <Stack station={station} />
      <HowPrinted station={station} />
      <Fold name="print colour" title="Colour of the run" closed={!areCorrected(shown.settings)}>
        <p className="text-[12px] text-slate">On top of what is said of each design in Lines.</p>
        <ColourRows wishes={shown.settings} change={station.set} />
      </Fold>
      {station.plate && <Elsewhere station={station} plate={station.plate} />}
      {shown.costs && <Takes costs={shown.costs} currency={shown.currency} />}
      <Section title="Printed sheets">
        {shown.sheets.length === 0 && <p className="text-slate">None yet. The shelf of printed sheets fills when the printer is done.</p>}
        {held.length > 1 && (
          <Action onClick={() => station.sendHeld(...held)} disabled={sending.progress !== null || stopped}>
            Send all {held.length} that are held
          </Action>
        )}
        {shown.sheets
          .filter((sheet) => sheet !== next)
          .map((sheet) => (
            <OnePrint key={sheet.id} sheet={sheet} {...states} strip={stripOf(sheet)} />
          ))}
      </Section>
    </>
  );
}

function Sending({ station }: { station: Station }) {
  const { shown, plate, next, stopped, sending, hold } = station;
  const printed = plate !== null && shown.sheets.some((sheet) => sheet.name.startsWith(`${plate.code}-`));
  const own = shown.queue.filter((one) => one.run_id === shown.run.id).length;
  const words = shown.settings.way === "cut" ? "Cut it there" : printed ? "Print again" : "Send to printer";
  return (
    <div className="mt-3 flex flex-col gap-2">
      {sending.progress ? (
        <Working
          progress={sending.progress}
          cancel={() => (own > 0 ? station.callOff.mutate() : sending.cancel())}
          stopWords={own > 1 ? `Cancel all ${own} prints` : "Cancel the print"}
        />
      ) : (
        <>
          <Action
            main={next === null}
            hint={next === null ? "Enter" : undefined}
            onClick={() => void station.sendFirst()}
            disabled={!plate || stopped}
          >
            {station.beds ? bedsSent(station) : `${words}${shown.plates.length > 1 ? `: frame ${plate?.frame ?? 1}` : ""}`}
          </Action>
          {station.beds > 0 && shown.plates.length > 1 && (
            <Action onClick={() => void station.sendPlate()} disabled={stopped}>{`Only this blank: frame ${plate?.frame ?? 1}`}</Action>
          )}
          {!station.beds && shown.plates.length > 1 && (
            <Action onClick={station.sendAll} disabled={stopped}>{`Send all ${shown.plates.length} frames`}</Action>
          )}
          <Action hint="H" onClick={() => void station.holdPlate()} disabled={!plate || stopped || hold.isPending}>
            {station.beds && shown.plates.length > 1 ? "Hold this blank" : "Hold"}
          </Action>
        </>
      )}
    </div>
  );
}

/** What goes out when beds are sent whose blanks are frames of their own. */
const bedsSent = ({ beds, shown }: Station) =>
  `Send ${beds === 1 ? "the bed" : `all ${beds} beds`}: ${shown.plates.length} ${shown.plates.length === 1 ? "blank" : "blanks"}`;

/** Its files are saved, printed on a machine that is none of ours, and the sheet goes on from here; of a bed all its blanks. */
function Elsewhere({ station: { shown, elsewhere }, plate }: { station: Station; plate: PlateSet }) {
  const { bed } = plate;
  const together = bed === null ? [plate] : shown.plates.filter((one) => one.bed === bed);
  const file = bed === null ? `/api/plates/${plate.id}/pdf` : `/api/print/${shown.run.id}/beds/${bed}/pdf`;
  return (
    <Fold name="print elsewhere" title="Printed elsewhere" closed>
      <p className="mb-1.5 text-[12px] text-slate">
        Save its files, print them at their own size, then say so: its sheet goes on to film and cutter.
      </p>
      {[...new Set(together.flatMap(({ order }) => order))].map((name) => (
        <a
          key={name}
          href={`${file}?plate=${name}`}
          download
          className="flex min-h-[36px] items-center justify-between border-b border-rule font-semibold text-pine hover:underline"
        >
          Save the {name} plate{bed === null ? "" : ` of bed ${bed}`}
        </a>
      ))}
      <div className="mt-2">
        <Action onClick={() => elsewhere.mutate(together)} disabled={elsewhere.isPending}>
          {bed === null ? "It is printed elsewhere" : `Bed ${bed} is printed elsewhere`}
        </Action>
      </div>
    </Fold>
  );
}

/** What the printer of this run has to do, of any run, in its order: earlier, later, or put by. */
function Queue({ station: { shown, turn, holdQueued } }: { station: Station }) {
  if (shown.queue.length < 2) return null;
  const waiting = shown.queue.filter((one) => one.waits);
  return (
    <Section title={`Queue of ${shown.printer}`}>
      <ol aria-label="Queue">
        {shown.queue.map((one) => {
          const at = waiting.indexOf(one);
          return (
            <li key={one.task_id} className="flex min-h-[44px] items-center gap-1.5 border-b border-rule">
              <span className="min-w-0 flex-1">
                <span className="block truncate">{one.run_name}</span>
                <span className="font-code text-[11px] text-slate">{one.sheet}</span>
              </span>
              {one.waits ? (
                <>
                  <Step words="earlier" of={one.sheet} off={at === 0} press={() => turn.mutate({ task_id: one.task_id, way: "earlier" })} />
                  <Step
                    words="later"
                    of={one.sheet}
                    off={at === waiting.length - 1}
                    press={() => turn.mutate({ task_id: one.task_id, way: "later" })}
                  />
                  <Button narrow onClick={() => holdQueued.mutate(one.task_id)} aria-label={`Hold ${one.sheet}`}>
                    Hold
                  </Button>
                </>
              ) : (
                <b className="font-semibold text-go">printing</b>
              )}
            </li>
          );
        })}
      </ol>
    </Section>
  );
}

function Step({ words, of, off, press }: { words: "earlier" | "later"; of: string; off: boolean; press: () => void }) {
  return (
    <Button narrow aria-label={`${of} ${words}`} title={words} disabled={off} onClick={press}>
      {words === "earlier" ? "↑" : "↓"}
    </Button>
  );
}

function HowPrinted({ station: { shown, plate, set } }: { station: Station }) {
  const { settings } = shown;
  const yesNo: ["yes" | "no", string][] = [
    ["no", "no"],
    ["yes", "yes"],
  ];
  return (
    <Section title="How it is printed">
      <ModeRow shown={shown} choose={(print_mode_id) => set("print mode", { print_mode_id })} />
      <ChoiceRow
        label="White, clear, other inks"
        value={settings.files}
        choices={[
          ["separate", "files of their own"],
          ["one", "in the colour file"],
        ]}
        why="Plates in register, or spots by their names in one file."
        onChange={(files) => set("files of the plates", { files })}
      />
      <ChoiceRow
        label="Files keep to"
        value={settings.standard}
        choices={[
          ["plain", "PDF"],
          ["pdf/x-4", "PDF/X-4"],
        ]}
        why="PDF/X-4 names the inks, holds all fonts and nothing that a press may stumble over. It needs the mode's profile."
        onChange={(standard) => set("what the files keep to", { standard })}
      />
      <ChoiceRow
        label="Sheet turned"
        value={settings.half_turn ? "yes" : "no"}
        choices={[
          ["no", "no"],
          ["yes", "by 180°"],
        ]}
        why="The tail leaves the printer first, to be read at the exit. The codes tell the Bench."
        onChange={(value) => set("sheet turned", { half_turn: value === "yes" })}
      />
      <ChoiceRow
        label="Colour strip"
        value={settings.strip ? "yes" : "no"}
        choices={yesNo}
        why="Patches of each ink in the tail row of frames with marks: a picture of them says whether the next print looks as the first."
        onChange={(value) => set("colour strip", { strip: value === "yes" })}
      />
      {shown.can_cut && (
        <ChoiceRow
          label="This machine"
          value={settings.way}
          choices={[
            ["print", "prints"],
            ["both", "prints and cuts"],
            ["cut", "cuts what it printed last"],
            ["only", "prints, and nothing is cut"],
          ]}
          why="It has a knife of its own. What it cuts itself needs no marks and goes to no other cutter."
          onChange={(way) => set("what the machine does", { way })}
        />
      )}
      {shown.can_sever && (
        <ChoiceRow
          label="Cut off after it"
          value={settings.sever ? "yes" : "no"}
          choices={yesNo}
          why="Whether the printer severs the sheet when it is printed."
          onChange={(value) => set("cut off", { sever: value === "yes" })}
        />
      )}
      {plate && <Companion key={plate.id} plate={plate} />}
    </Section>
  );
}

function Takes({ costs, currency }: { costs: NonNullable<Station["shown"]["costs"]>; currency: string }) {
  const inks = Object.entries(costs.ink_ml).filter(([, ml]) => ml >= 0.05);
  const ink = (
    <span>
      Ink{" "}
      {inks.length > 0 && (
        <span className="text-[12px] text-slate">{inks.map(([name, ml]) => `${name} ${figure(ml, 1)}`).join(", ")} ml</span>
      )}
    </span>
  );
  const money = [
    [`Stock, ${figure(costs.area_m2, 2)} m²`, costs.stock],
    ["Film", costs.film],
    [ink, costs.ink],
    ["Each piece", costs.each],
  ] as const;
  return (
    <Section title="What it takes">
      <Row label="Time">{figure(costs.minutes, 1)} min</Row>
      {money.map(([label, amount], index) => (
        <Row key={index} label={label}>
          {amount} {currency}
        </Row>
      ))}
    </Section>
  );
}
