import type { ReactNode } from "react";
import { toast } from "sonner";
import type { Area, Shown, TilesDocument } from "../../api/useTiles";
import { Action, Button, TextButton } from "../../ui/Button";
import { ChoiceRow } from "../../ui/Choice";
import { NumberField, NumberRow } from "../../ui/Field";
import { Big } from "../../ui/Readings";
import { Fold, Section } from "../../ui/Row";
import { figure, metres } from "../../ui/units";
import { Working } from "../../ui/Working";
import type { Drawing } from "./TilesStation";

type Props = {
  station: Shown;
  tint: boolean;
  setTint: (tint: boolean) => void;
  drawing: Drawing;
  draw: (drawing: Drawing) => void;
  next: () => void;
};

/** How the graphic is taken apart, and the next step of the work. */
export function TilesReadings({ station, tint, setTint, drawing, draw, next }: Props) {
  const { tiles, design } = station;
  const { document } = tiles;
  if (!document)
    return (
      <>
        <p className="text-[15px] leading-6">
          A graphic that is wider or longer than its stock is printed in tiles. Each becomes a design of this job, with a frame, marks, a
          code and a cut of its own, and a number beside it.
        </p>
        <div className="mt-3">
          <Action main hint="Enter" onClick={next} disabled={!design.document.width_mm}>
            Take it apart
          </Action>
        </div>
      </>
    );
  const kept = tiles.tiles.filter((tile) => !tile.off);
  const along = kept.reduce((sum, tile) => sum + tile.box[document.lying ? 2 : 3], 0) * document.copies;
  return (
    <>
      <div className="flex justify-between">
        <Big label={kept.length === 1 ? "tile" : "tiles"} value={figure(kept.length, 0)} />
        <Big label="of stock, about" value={metres(along)} end />
      </div>
      <Next station={station} next={next} />
      <Seams station={station} document={document} tint={tint} setTint={setTint} />
      <Edges station={station} document={document} />
      <Areas station={station} document={document} drawing={drawing} draw={draw} />
      <Assembly station={station} />
      <div className="mt-4">
        <TextButton onClick={station.whole}>Print it whole again: its tiles go</TextButton>
      </div>
    </>
  );
}

function Next({ station: { tiles, making, finding }, next }: { station: Shown; next: () => void }) {
  const working = making.progress ? making : finding.progress ? finding : null;
  if (working?.progress) return <Working progress={working.progress} cancel={working.cancel} />;
  if (tiles.wrong) {
    return (
      <p role="alert" className="mt-3 font-semibold text-stop">
        {tiles.wrong}
      </p>
    );
  }
  const words = !tiles.fresh
    ? tiles.made > 0
      ? "Make the tiles again"
      : "Make the tiles"
    : tiles.runs.length > 0
      ? "Open their run"
      : "Make the run";
  return (
    <div className="mt-3">
      {tiles.fresh && <p className="mb-2 font-semibold text-go">✓ All tiles are made as they stand here.</p>}
      <Action main hint="Enter" onClick={next}>
        {words}
      </Action>
    </div>
  );
}

type Part = { station: Shown; document: TilesDocument };

function Seams({ station: { tiles, change, find }, document, tint, setTint }: Part & { tint: boolean; setTint: (tint: boolean) => void }) {
  return (
    <Section title="Seams">
      <ChoiceRow
        label="Stock"
        value={String(document.stock_id ?? "")}
        choices={[["", "width typed"], ...tiles.stocks.map(({ id, name }): [string, string] => [String(id), name])]}
        why="Brings what a tile may be wide between the marks of a run on it."
        onChange={(value) => change("stock of the tiles", { stock_id: Number(value) || null })}
      />
      <NumberRow
        label="A tile is at most"
        value={document.media_mm}
        least={50}
        most={6000}
        why="Across the stock, with its overlap and bleed."
        onChange={(media_mm) => change("width of a tile", { media_mm })}
      />
      <NumberRow
        label="And along the feed"
        value={document.longest_mm ?? 0}
        zero="as long as it is"
        least={0}
        most={100_000}
        why="What the cutter reads, or what hands can lay. Longer, and it becomes a grid."
        onChange={(next) => change("length of a tile", { longest_mm: next || null })}
      />
      <ChoiceRow
        label="Strips"
        value={document.lying ? "lying" : "upright"}
        choices={[
          ["upright", "upright"],
          ["lying", "lying"],
        ]}
        why="Which way strips run over the graphic. Lying ones are turned a quarter on the stock."
        onChange={(value) => change("strips", { lying: value === "lying", by: "even" })}
      />
      <div className="flex flex-wrap gap-2 border-b border-rule py-2">
        <Button narrow hint="E" aria-pressed={document.by === "even"} onClick={() => change("even seams", { by: "even" })}>
          Even
        </Button>
        <Button narrow hint="C" aria-pressed={document.by === "content"} onClick={find}>
          Where least is cut
        </Button>
        <Button looks narrow hint="T" aria-pressed={tint} onClick={() => setTint(!tint)}>
          Tint
        </Button>
      </div>
      {(["across", "along"] as const).map((axis) =>
        tiles[axis].map((place, index) => (
          <NumberRow
            key={`${axis} ${index}`}
            label={`Seam ${index + 1} from the ${axis === "across" ? "left" : "foot"}`}
            value={place}
            least={0}
            why="Where the two tiles meet."
            onChange={(next) => change("seam moved", { [axis]: tiles[axis].map((one, at) => (at === index ? next : one)) })}
          />
        )),
      )}
    </Section>
  );
}

function Edges({ station: { change }, document }: Part) {
  return (
    <Fold name="tiles edges" title="Overlap, bleed, turning">
      <NumberRow
        label="Overlap"
        value={document.overlap_mm}
        zero="edge to edge"
        least={0}
        most={500}
        why="How far a tile goes on past the seam."
        onChange={(overlap_mm) => change("overlap", { overlap_mm })}
      />
      <ChoiceRow
        label="It is carried by"
        value={document.carried}
        choices={[
          ["both", "both neighbours"],
          ["first", "the left or upper one"],
        ]}
        why="The other one ends at the seam and is laid over it."
        onChange={(carried) => change("who overlaps", { carried })}
      />
      <NumberRow
        label="Printed past the cut"
        value={document.past_mm}
        zero="not"
        least={0}
        most={50}
        why="At the seams, so that a cut that wanders shows no white."
        onChange={(past_mm) => change("bleed past the overlap", { past_mm })}
      />
      <NumberRow
        label="Bleed round the whole"
        value={document.bleed_mm}
        zero="none"
        least={0}
        most={200}
        why="What of the art lies beyond the finished graphic: tiles are cut inside it."
        onChange={(bleed_mm) => change("bleed round the whole", { bleed_mm })}
      />
      <ChoiceRow
        label="On the stock"
        value={document.turned}
        choices={[
          ["none", "as they hang"],
          ["alternate", "every second one turned"],
          ["all", "all turned by a half"],
        ]}
        why="Turned in turn, left edge meets left edge: a printer that is darker on one side shows no step."
        onChange={(turned) => change("turning of tiles", { turned })}
      />
      <NumberRow
        label="Copies of the whole"
        kind="plain"
        decimals={0}
        step={1}
        least={1}
        value={document.copies}
        why="How often every tile is due."
        onChange={(next) => change("copies", { copies: Math.round(next) })}
      />
    </Fold>
  );
}

const AREAS: { of: "openings" | "keep"; title: string; key: string; none: string; label: string }[] = [
  { of: "openings", title: "Windows and doors", key: "W", none: "None. What is left out is cut out of its tile.", label: "Opening" },
  { of: "keep", title: "Kept whole", key: "K", none: "Nothing. A face or a word that no seam may cross.", label: "Kept whole" },
];

function Areas({ station: { change }, document, drawing, draw }: Part & { drawing: Drawing; draw: (drawing: Drawing) => void }) {
  return (
    <Section title="Left out, kept whole">
      <Faces change={change} document={document} />
      {AREAS.map(({ of, title, key, none, label }) => (
        <div key={of} className="border-b border-rule py-2">
          <div className="mb-1 flex items-center justify-between">
            {title}
            <Button narrow hint={key} aria-pressed={drawing === of} onClick={() => draw(drawing === of ? null : of)}>
              Draw one
            </Button>
          </div>
          {document[of].length === 0 && <p className="text-[12px] text-slate">{none}</p>}
          {document[of].map((area, index) => (
            <AreaFields
              key={index}
              label={`${label} ${index + 1}`}
              area={area}
              put={(next) => change(title, { [of]: document[of].map((one, at) => (at === index ? next : one)) })}
              remove={() => change(`${title}, one less`, { [of]: document[of].filter((_, at) => at !== index) })}
            />
          ))}
        </div>
      ))}
    </Section>
  );
}

/** What seams keep off where they can; it was found, and so may be wrong. */
function Faces({ change, document }: { change: Shown["change"]; document: TilesDocument }) {
  const found = document.faces.length;
  return (
    <div className="pb-1">
      <ChoiceRow
        label="Faces"
        value={document.spare_faces ? "spared" : "like all else"}
        choices={[
          ["spared", "spared"],
          ["like all else", "like all else"],
        ]}
        why="Where least is cut: seams keep off faces that are found in the picture, where they can."
        onChange={(value) => change("faces", { spare_faces: value === "spared", faces: [] })}
      />
      {found > 0 && (
        <>
          <p className="text-[12px] text-slate">{found === 1 ? "One was found, drawn dashed." : `${found} were found, drawn dashed.`}</p>
          <TextButton onClick={() => change("faces kept whole", { keep: [...document.keep, ...document.faces], faces: [] })}>
            Keep {found === 1 ? "it" : "them"} whole
          </TextButton>
        </>
      )}
    </div>
  );
}

type AreaProps = { label: string; area: Area; put: (area: Area) => void; remove: () => void };

function AreaFields({ label, area, put, remove }: AreaProps): ReactNode {
  return (
    <div role="group" aria-label={label} className="mb-2 grid grid-cols-2 gap-1.5">
      {["from the left", "from the foot", "wide", "high"].map((words, at) => (
        <label key={words} className="text-[12px] text-slate">
          {words}
          <NumberField
            label={`${label}, ${words}`}
            why=""
            value={area[at] ?? 0}
            least={at < 2 ? 0 : 1}
            onChange={(next) => put(area.map((one, index) => (index === at ? next : one)) as Area)}
          />
        </label>
      ))}
      <TextButton onClick={remove}>Take {label.toLowerCase()} away</TextButton>
    </div>
  );
}

/** How the tiles are put together: saved, copied, kept with the job. */
function Assembly({ station: { design, tiles, pin } }: { station: Shown }) {
  if (tiles.wrong) return null;
  const at = `/api/tiles/${design.id}/assembly`;
  const copy = async () => {
    const picture = (async () => (await fetch(`${at}.png`)).blob())();
    await navigator.clipboard.write([new ClipboardItem({ "image/png": picture })]);
    toast("The picture is copied.");
  };
  return (
    <Section title="Assembly">
      <div className="flex flex-wrap gap-x-4">
        <a href={`${at}.pdf`} target="_blank" rel="noreferrer" className="py-2 font-semibold text-pine hover:underline">
          Open as PDF
        </a>
        <a href={`${at}.png`} download={`${design.document.name}, assembly.png`} className="py-2 font-semibold text-pine hover:underline">
          Save as PNG
        </a>
        <TextButton looks onClick={() => void copy().catch(() => toast.error("The browser does not let it be copied. Save it as PNG."))}>
          Copy the picture
        </TextButton>
        <TextButton onClick={pin}>Keep with the job</TextButton>
      </div>
    </Section>
  );
}
