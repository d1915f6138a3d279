import type { DesignChanges } from "../api/useDesign";
import { ChoiceRow } from "../ui/Choice";
import { NumberRow } from "../ui/Field";
import { Row } from "../ui/Row";
import { KINDS } from "./kinds";
import { GroundRow } from "./settings";
import type { Station } from "./useStation";
import { WordButton } from "../ui/Button";

type Name = "offset_mm" | "merge_mm" | "corner_mm" | "smooth_mm" | "distance";
/** A control that shows the line while it moves. */
const slider = (station: Station, name: Name) => ({
  onLive: (value: number) => station.live.show({ [name]: value } as Pick<DesignChanges, Name>),
});

/** How the line round the art is found. */
export function EdgeSettings({ station, opener }: { station: Station; opener: number }) {
  const { design, change } = station;
  const document = design.document;
  const isPicture = design.form === "picture";
  return (
    <>
      {document.follow !== "none" && (
        <ChoiceRow
          label="Kind"
          value={document.kind}
          choices={KINDS}
          why="Kiss leaves the liner whole; through cuts it too."
          onChange={(value) => change("kind of line", { kind: value })}
        />
      )}
      <ChoiceRow
        label="Follows"
        value={document.follow}
        choices={[
          ["edge", "edge of the art"],
          ["hull", "hull round it"],
          ["box", "box round it"],
          ["ellipse", "ellipse round it"],
          ["page", isPicture ? "rectangle of the picture" : "rectangle of the page"],
          ...(isPicture ? [] : [["none", "lines in the file only"] as ["none", string]]),
        ]}
        why="The line follows the art itself, or a shape round all of it."
        onChange={(value) => change("what the line follows", { follow: value })}
      />
      {document.follow !== "none" && isPicture && <InThePicture station={station} />}
      {document.follow !== "none" && <Shape station={station} opener={opener} />}
    </>
  );
}

function InThePicture({ station }: { station: Station }) {
  const { design, change } = station;
  const document = design.document;
  return (
    <>
      <GroundRow
        design={design}
        change={change}
        picking={station.picking === "ground"}
        pick={() => station.setPicking(station.picking === "ground" ? null : "ground")}
      />
      <GroundReach station={station} />
      <Row label="Looked for in">
        <span className="flex items-center gap-3">
          {document.area && <WordButton onClick={() => change("whole picture", { area: null })}>Whole picture</WordButton>}
          <button
            type="button"
            aria-pressed={station.framing === "area"}
            className="font-semibold text-pine hover:underline aria-pressed:underline"
            onClick={() => station.setFraming(station.framing === "area" ? null : "area")}
          >
            {station.framing === "area" ? "Drag over the art" : document.area ? "Another part" : "whole picture: choose a part"}
          </button>
        </span>
      </Row>
    </>
  );
}

/** How far from its colour the ground reaches: as its rim says, or as it was set. Transparency has no colour. */
function GroundReach({ station }: { station: Station }) {
  const { design, change } = station;
  const set = design.document.distance;
  const reach = set ?? design.summary?.report.distance ?? null;
  if (reach === null) return null;
  return (
    <>
      <NumberRow
        label="Ground reaches to"
        kind="plain"
        suffix={set === null ? "ΔE, by its noise" : "ΔE"}
        slide={[0, 50]}
        {...slider(station, "distance")}
        value={reach}
        step={1}
        least={0}
        most={100}
        why="Colours nearer to the ground than this belong to it. Found from how uneven the rim of the picture is."
        onChange={(value) => change("ground distance", { distance: value })}
      />
      {set !== null && (
        <Row label="">
          <WordButton onClick={() => change("ground distance", { distance: null })}>As its noise says</WordButton>
        </Row>
      )}
    </>
  );
}

function Shape({ station, opener }: { station: Station; opener: number }) {
  const { change } = station;
  const document = station.design.document;
  return (
    <>
      <NumberRow
        label="Offset from the art"
        opener={opener}
        signed
        slide={[-5, 10]}
        {...slider(station, "offset_mm")}
        value={document.offset_mm}
        step={0.5}
        why="How far the line lies outside the art; a minus puts it inside."
        onChange={(value) => change("offset", { offset_mm: value })}
      />
      <NumberRow
        label="Join pieces nearer than"
        slide={[0, 20]}
        {...slider(station, "merge_mm")}
        value={document.merge_mm}
        least={0}
        why="Islands nearer than this become one sticker."
        onChange={(value) => change("join", { merge_mm: value })}
      />
      <NumberRow
        label="Leave out specks under"
        kind="plain"
        suffix="mm²"
        value={document.min_area_mm2}
        step={1}
        least={0}
        why="Anything smaller is dirt, not art."
        onChange={(value) => change("specks", { min_area_mm2: value })}
      />
      <ChoiceRow
        label="Holes"
        value={document.holes}
        choices={[
          ["fill", "filled"],
          ["keep", "kept"],
        ]}
        why="Kept holes are cut too and have to be weeded."
        onChange={(value) => change("holes", { holes: value })}
      />
      <NumberRow
        label="Smooth away"
        slide={[0, 5]}
        {...slider(station, "smooth_mm")}
        value={document.smooth_mm}
        least={0}
        step={0.1}
        why="Notches and spurs narrower than twice this are taken out before the line is moved."
        onChange={(value) => change("smoothing", { smooth_mm: value })}
      />
      <ChoiceRow
        label="Joins"
        value={document.join}
        choices={[
          ["round", "round"],
          ["mitre", "mitred"],
        ]}
        why="How an offset line goes round a corner of the art: in an arc, or to a point."
        onChange={(value) => change("joins", { join: value })}
      />
      <NumberRow
        label="Corners"
        slide={[0, 10]}
        {...slider(station, "corner_mm")}
        value={document.corner_mm}
        least={0}
        step={0.1}
        why="Corners are rounded to this radius, so that the knife can turn."
        onChange={(value) => change("corners", { corner_mm: value })}
      />
      <NumberRow
        label="Follows the edge within"
        value={document.tolerance_mm}
        decimals={2}
        step={0.01}
        least={0.005}
        why="Smaller follows more closely and needs more nodes."
        onChange={(value) => change("tolerance", { tolerance_mm: value })}
      />
    </>
  );
}
