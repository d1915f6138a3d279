import { shelfQuery } from "../api/keys";
import { useQuery } from "@tanstack/react-query";
import { useRef } from "react";
import type { Schemas } from "../api/client";
import { ChoiceRow } from "../ui/Choice";
import { NumberRow } from "../ui/Field";
import { AreaRows, wholeOf } from "./AreaRows";
import { BothSides } from "./BothSides";
import { FromPicture, MarkedRow, type PlatesProps } from "./Marked";
import { SpecialInks } from "./SpecialInks";
import { Row } from "../ui/Row";
import { READS } from "./takeIn";
import { WordButton } from "../ui/Button";
import { pressedLook, whiteLook } from "../ui/look";
import { useLooksOnly } from "../ui/looksOnly";

/** White, clear and special inks of a design: where they lie, how far they stand back, which named colours mean them. */
export function Plates({ design, change, send, flip, take, taking }: PlatesProps) {
  const document = design.document;
  const { data: shelf } = useQuery(shelfQuery);
  const caught = design.summary?.caught;
  const spots = caught?.spots ?? [];
  const library = shelf?.ink_colour ?? [];
  const specials = (shelf?.special_ink ?? []).filter(({ away }) => !away);
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
      <MarkedRow plate="white" name="White" caught={caught} marked={document.marked} change={change} />
      {design.form === "picture" && (
        <FromPicture plate="white" name="White" document={document} change={change} take={take} taking={taking} />
      )}
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
          ["area", "in a rectangle"],
        ]}
        why="Varnish or clear ink, printed last."
        onChange={(clear) => change("clear", { clear, ...(clear === "area" && !document.clear_area && { clear_area: wholeOf(design) }) })}
      />
      {document.clear === "area" && document.clear_area && (
        <AreaRows of="Clear" area={document.clear_area} put={(clear_area) => change("rectangle of clear", { clear_area })} />
      )}
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
      <MarkedRow plate="clear" name="Clear" caught={caught} marked={document.marked} change={change} />
      {design.form === "picture" && (
        <FromPicture plate="clear" name="Clear" document={document} change={change} take={take} taking={taking} />
      )}
      <FileRow
        plate="clear"
        held={document.clear_art_id !== null}
        send={send}
        remove={() => change("clear of the file taken out", { clear_art_id: null })}
      />
      <SpecialInks design={design} change={change} take={take} taking={taking} />
      {spots.map((spot) => (
        <ChoiceRow
          key={spot}
          label={`“${spot}” is`}
          value={document.spot_inks[spot] ?? "own"}
          choices={[
            ["own", "a colour of its own"],
            ["white", "white"],
            ["clear", "clear"],
            ...specials.map(({ id, name }) => [`special ${id}`, name] as [string, string]),
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
        <WordButton aria-pressed={document.second_surface} onClick={flip}>
          {document.second_surface ? "yes, mirrored: print the front" : "no: mirror it for the back"}
        </WordButton>
      </Row>
      <BothSides design={design} change={change} />
    </>
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
      <WordButton onClick={held ? remove : () => field.current?.click()}>{held ? "Take it out" : "Choose a file"}</WordButton>
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
  design: Schemas["DesignShown"];
  step: (step: Schemas["ArrangeStep"]) => void;
  cropping: boolean;
  crop: () => void;
}) {
  const look = `h-9 rounded-[5px] px-2.5 disabled:text-slate/60 ${whiteLook} ${pressedLook}`;
  const turn = (by: 90 | 270) => step({ do: "turn", by, box: [0, 0, 1, 1] });
  return (
    <fieldset disabled={useLooksOnly()} aria-label="Arrange the art" className="flex flex-wrap gap-1.5 border-b border-rule py-2">
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
    </fieldset>
  );
}
