import { type ChangeWeb, useDies } from "../../api/useWeb";
import { FileLink, Way } from "../../ui/Button";
import { whiteLook } from "../../ui/look";
import { length, useUnit } from "../../ui/units";

/** Dies of the shop, each read from its drawing: one press sets label, columns, rows and gaps as it has them. */
export function Dies({ change }: { change: ChangeWeb }) {
  const unit = useUnit((state) => state.unit);
  const { dies, take } = useDies();
  return (
    <div className="border-b border-rule py-2">
      {dies.map(({ id, name, figures }) => (
        <div key={id} className="mb-1.5 flex items-center gap-2.5">
          <button
            type="button"
            className={`min-h-9 min-w-0 flex-1 rounded-[5px] px-2.5 py-1 text-left ${whiteLook}`}
            onClick={() => change(`as the die ${name}`.slice(0, 200), { ...figures, repeat_mm: null })}
          >
            <b className="block truncate font-semibold">{name}</b>
            <span className="text-[12px] text-slate">
              {figures.columns} × {figures.rows}, {length(figures.label.width_mm, unit)} × {length(figures.label.height_mm, unit)} {unit}
            </span>
          </button>
          <Way to={`/shelf?die=${id}`}>On the Shelf</Way>
        </div>
      ))}
      <FileLink accept=".pdf,.svg,.dxf" label="Drawing of a die" take={(file) => take.mutate(file)}>
        {take.isPending ? "Reading the drawing" : "Take in the drawing of a die"}
      </FileLink>
    </div>
  );
}
