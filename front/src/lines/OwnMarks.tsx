import { Button, TextButton } from "../ui/Button";
import { Row } from "../ui/Row";
import { length, useUnit } from "../ui/units";
import { ownMarks, type Station } from "./useStation";

const SHAPES = { disc: "discs", square: "squares", corner: "corners", cross: "crosses", ring: "rings" } as const;

/** Registration marks that a page brought along from another program: with them it is a frame by itself. */
export function OwnMarks({ station }: { station: Station }) {
  const unit = useUnit((state) => state.unit);
  const { design, findMarks, findingMarks, picking, setPicking, letMarkGo, change } = station;
  const own = ownMarks(design);
  const sized = design.document.width_mm !== null;
  const size = (mm: number) => length(mm, unit, unit === "mm" ? 1 : 3);
  return (
    <>
      {!own && (
        <p className="mb-2 text-slate">A page that was made ready elsewhere may carry marks for the cutter. They are used as they are.</p>
      )}
      {own && (
        <>
          <Row label={`${own.places.length} ${SHAPES[own.shape]}`}>
            {size(own.size_mm)} {unit} wide
          </Row>
          {own.places.length < 3 && (
            <p className="my-1.5 text-check-text">Three are the least that show how a sheet was stretched: point at more.</p>
          )}
          <ol aria-label="Its marks" className="my-1.5 grid grid-cols-2 gap-x-3">
            {own.places.map(([x, y], index) => (
              <li key={`${x} ${y}`} className="flex items-center text-[12px]">
                <b className="w-6 font-semibold text-pine">{index + 1}</b>
                <span className="mr-auto">
                  {size(x)} · {size(y)}
                </span>
                <button
                  type="button"
                  aria-label={`Mark ${index + 1} is none`}
                  className="h-7 w-7 rounded-[5px] font-semibold hover:bg-shade"
                  onClick={() => letMarkGo(index)}
                >
                  ×
                </button>
              </li>
            ))}
          </ol>
        </>
      )}
      <div className="flex gap-2">
        <Button onClick={() => findMarks(null)} disabled={!sized || findingMarks}>
          {findingMarks ? "Looking" : own ? "Find again" : "Find its marks"}
        </Button>
        <Button aria-pressed={picking === "mark"} onClick={() => setPicking(picking === "mark" ? null : "mark")} disabled={!sized}>
          {picking === "mark" ? "Press one on the art" : "Point at one"}
        </Button>
      </div>
      {own && <TextButton onClick={() => change("no marks of its own", { own_marks: null })}>It has none</TextButton>}
    </>
  );
}
