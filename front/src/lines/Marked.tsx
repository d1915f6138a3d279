import type { Schemas } from "../api/client";
import { TextButton } from "../ui/Button";
import { SeveralRow } from "../ui/Choice";
import { NumberRow } from "../ui/Field";

type Design = Schemas["DesignShown"];
type Document = Design["document"];
export type PlatesProps = {
  design: Design;
  change: (words: string, changes: Partial<Document>) => void;
  send: (file: File, plate: "white" | "clear") => void;
  flip: () => void;
  /** A colour of the picture is pressed next, and means this plate. */
  take: (plate: string | null) => void;
  taking: string | null;
};

/** White and clear in the middle of a sentence; an ink of the shop keeps its name. */
const inWord = (plate: string, name: string) => (plate.startsWith("special ") ? name : plate);

/** An ink that a layer or a colour of the art marks: what is painted there leaves the colour. */
export function MarkedRow({
  plate,
  name,
  caught,
  marked,
  change,
}: {
  plate: string;
  name: string;
  caught: NonNullable<Design["summary"]>["caught"];
  marked: Document["marked"];
  change: PlatesProps["change"];
}) {
  const own = Object.keys(marked).filter((what) => marked[what] === plate);
  const offered = [...(caught?.layers ?? []).map((name) => `layer ${name}`), ...(caught?.colours ?? []).map((hex) => `colour ${hex}`)];
  const choices = [...new Set([...own, ...offered.filter((what) => !(what in marked))])];
  if (!choices.length) return null;
  return (
    <SeveralRow
      label={`${name} from the art`}
      none="nothing"
      value={own}
      choices={choices.map((what) => [what, inWords(what), <Marked key={what} what={what} />])}
      why={`Layers and colours of the art that mean ${inWord(plate, name)}: they leave the colour and go onto its plate as drawn.`}
      onChange={(chosen) => {
        const others = Object.entries(marked).filter(([, meant]) => meant !== plate);
        const marks = Object.fromEntries([...others, ...chosen.map((what) => [what, plate])]);
        change(`${inWord(plate, name)} from the art`, { marked: marks });
      }}
    />
  );
}

type FromPictureProps = Pick<PlatesProps, "change" | "take" | "taking"> & { plate: string; name: string; document: Document };

/** A colour of a picture stands for an ink: a loud one that the artist used as a placeholder. */
export function FromPicture({ plate, name, document, change, take, taking }: FromPictureProps) {
  const any = Object.values(document.marked).includes(plate);
  return (
    <>
      {any && (
        <NumberRow
          label="And what is within"
          why="How near a colour of the picture has to be to count as that one, ΔE 2000."
          kind="plain"
          suffix="ΔE"
          least={0.5}
          most={60}
          step={1}
          value={document.marked_within}
          onChange={(value) => change("how near a marked colour is", { marked_within: value })}
        />
      )}
      <TextButton onClick={() => take(taking === plate ? null : plate)}>
        {taking === plate ? "Press the colour in the art, or stop here" : `Take a colour of the art as ${inWord(plate, name)}`}
      </TextButton>
    </>
  );
}

const inWords = (what: string) => (what.startsWith("layer ") ? `layer “${what.slice(6)}”` : what.slice(7));

/** A layer by its name, a colour by itself too. */
function Marked({ what }: { what: string }) {
  return what.startsWith("layer ") ? (
    <>{inWords(what)}</>
  ) : (
    <span className="flex items-center gap-2">
      <span aria-hidden className="h-4 w-4 rounded-[3px] border border-rule" style={{ background: inWords(what) }} />
      {inWords(what)}
    </span>
  );
}
