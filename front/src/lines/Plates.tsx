import { shelfQuery } from "../api/keys";
import { useQuery } from "@tanstack/react-query";
import { useRef } from "react";
import type { Schemas } from "../api/client";
import { TextButton } from "../ui/Button";
import { ChoiceRow, SeveralRow } from "../ui/Choice";
import { NumberRow } from "../ui/Field";
import { Row } from "../ui/Row";
import { READS } from "./takeIn";
import { pressedLook, whiteLook } from "../ui/look";

type Design = Schemas["DesignShown"];
type Document = Design["document"];
type PlatesProps = {
  design: Design;
  change: (words: string, changes: Partial<Document>) => void;
  send: (file: File, plate: "white" | "clear") => void;
  flip: () => void;
  /** A colour of the picture is pressed next, and means this plate. */
  take: (plate: "white" | "clear" | null) => void;
  taking: "white" | "clear" | null;
};

/** White and clear of a design: where they lie, how far they stand back, which named colours mean them. */
export function Plates({ design, change, send, flip, take, taking }: PlatesProps) {
  const document = design.document;
  const { data: shelf } = useQuery(shelfQuery);
  const caught = design.summary?.caught;
  const spots = caught?.spots ?? [];
  const library = shelf?.ink_colour ?? [];
  return (
    <>
      <ChoiceRow
        label="White"
        value={document.white}
        choices={[
          ["none", "none"],
          ["art", "under the art"],
          ["line", "all inside the line"],
        ]}
        why="White ink on clear, dark or metallic stock. It prints under the colour; on the second surface over it."
        onChange={(white) => change("white", { white })}
      />
      {document.white !== "none" && (
        <NumberRow
          label="White stands back by"
          value={document.white_choke_mm}
          decimals={2}
          step={0.05}
          why="The choke: how far white ends inside, so that it never peeks out. A minus spreads it."
          onChange={(value) => change("choke of white", { white_choke_mm: value })}
        />
      )}
      <MarkedRow plate="white" caught={caught} marked={document.marked} change={change} />
      {design.form === "picture" && <FromPicture plate="white" document={document} change={change} take={take} taking={taking} />}
      <FileRow
        plate="white"
        held={document.white_art_id !== null}
        send={send}
        remove={() => change("white of the file taken out", { white_art_id: null })}
      />
      <ChoiceRow
        label="Clear"
        value={document.clear}
        choices={[
          ["none", "none"],
          ["art", "over the art"],
          ["line", "all inside the line"],
        ]}
        why="Varnish or clear ink, printed last."
        onChange={(clear) => change("clear", { clear })}
      />
      {document.clear !== "none" && (
        <NumberRow
          label="Clear stands back by"
          value={document.clear_choke_mm}
          decimals={2}
          step={0.05}
          why="How far it ends inside. A minus spreads it."
          onChange={(value) => change("choke of clear", { clear_choke_mm: value })}
        />
      )}
      {design.clear && (
        <ChoiceRow
          label="Clear is"
          value={document.clear_raised ? "raised" : "flat"}
          choices={[
            ["flat", "flat"],
            ["raised", "raised"],
          ]}
          why="Raised: built up in passes until a finger feels it. It goes onto the plate of height, which the printer has to know."
          onChange={(how) => change("clear, flat or raised", { clear_raised: how === "raised" })}
        />
      )}
      <MarkedRow plate="clear" caught={caught} marked={document.marked} change={change} />
      {design.form === "picture" && <FromPicture plate="clear" document={document} change={change} take={take} taking={taking} />}
      <FileRow
        plate="clear"
        held={document.clear_art_id !== null}
        send={send}
        remove={() => change("clear of the file taken out", { clear_art_id: null })}
      />
      {spots.map((spot) => (
        <ChoiceRow
          key={spot}
          label={`“${spot}” is`}
          value={document.spot_inks[spot] ?? "own"}
          choices={[
            ["own", "a colour of its own"],
            ["white", "white"],
            ["clear", "clear"],
            ...library.map(({ id, name }) => [`ink ${id}`, name] as [string, string]),
          ]}
          why="What this named colour of the art means here. The shop's colours are on the Shelf."
          onChange={(meant) => {
            const others = Object.entries(document.spot_inks).filter(([name]) => name !== spot);
            change(`meaning of ${spot}`, { spot_inks: Object.fromEntries(meant === "own" ? others : [...others, [spot, meant]]) });
          }}
        />
      ))}
      <Row label="Seen through the stock">
        <button type="button" aria-pressed={document.second_surface} className="font-semibold text-pine hover:underline" onClick={flip}>
          {document.second_surface ? "yes, mirrored: print the front" : "no: mirror it for the back"}
        </button>
      </Row>
    </>
  );
}

/** White or clear that a layer or a colour of the art marks: what is painted there leaves the colour. */
function MarkedRow({
  plate,
  caught,
  marked,
  change,
}: {
  plate: "white" | "clear";
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
      label={plate === "white" ? "White from the art" : "Clear from the art"}
      none="nothing"
      value={own}
      choices={choices.map((what) => [what, inWords(what), <Marked key={what} what={what} />])}
      why={`Layers and colours of the art that mean ${plate}: they leave the colour and go onto the plate, as they are drawn.`}
      onChange={(chosen) => {
        const others = Object.entries(marked).filter(([, meant]) => meant !== plate);
        change(`${plate} from the art`, { marked: Object.fromEntries([...others, ...chosen.map((what) => [what, plate])]) });
      }}
    />
  );
}

type FromPictureProps = Pick<PlatesProps, "change" | "take" | "taking"> & { plate: "white" | "clear"; document: Document };

/** A colour of a picture stands for white or clear: a loud one that the artist used as a placeholder. */
function FromPicture({ plate, document, change, take, taking }: FromPictureProps) {
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
        {taking === plate ? "Press the colour in the art, or stop here" : `Take a colour of the art as ${plate}`}
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

/** White or clear that came as a file of its own. */
function FileRow({
  plate,
  held,
  send,
  remove,
}: {
  plate: "white" | "clear";
  held: boolean;
  send: PlatesProps["send"];
  remove: () => void;
}) {
  const field = useRef<HTMLInputElement>(null);
  return (
    <Row label={`${plate === "white" ? "White" : "Clear"} as a file`}>
      <input
        ref={field}
        type="file"
        accept={READS}
        aria-label={`File of the ${plate}`}
        className="hidden"
        onChange={(event) => event.target.files?.[0] && send(event.target.files[0], plate)}
      />
      <button type="button" className="font-semibold text-pine hover:underline" onClick={held ? remove : () => field.current?.click()}>
        {held ? "Take it out" : "Choose a file"}
      </button>
    </Row>
  );
}

/** Turning, mirroring and cropping the art. */
export function Arranging({
  design,
  step,
  cropping,
  crop,
}: {
  design: Design;
  step: (step: Schemas["ArrangeStep"]) => void;
  cropping: boolean;
  crop: () => void;
}) {
  const look = `h-9 rounded-[5px] px-2.5 ${whiteLook} ${pressedLook}`;
  const turn = (by: 90 | 270) => step({ do: "turn", by, box: [0, 0, 1, 1] });
  return (
    <div role="group" aria-label="Arrange the art" className="flex flex-wrap gap-1.5 border-b border-rule py-2">
      <button type="button" className={look} title="Turn left (,)" onClick={() => turn(90)}>
        Turn left
      </button>
      <button type="button" className={look} title="Turn right (.)" onClick={() => turn(270)}>
        Turn right
      </button>
      <button type="button" className={look} onClick={() => step({ do: "mirror", by: 90, box: [0, 0, 1, 1] })}>
        Mirror
      </button>
      <button type="button" className={look} aria-pressed={cropping} onClick={crop}>
        {cropping ? "Drag over what stays" : "Crop"}
      </button>
      {design.document.arranged && (
        <button type="button" className={look} onClick={() => step({ do: "as it came", by: 90, box: [0, 0, 1, 1] })}>
          As it came
        </button>
      )}
    </div>
  );
}
