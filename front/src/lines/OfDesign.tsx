import { Link } from "react-router";
import type { Design } from "../api/useDesign";
import { StepButtons } from "../ui/Button";
import { wordLook } from "../ui/look";

type Props = { design: Design; as: string; hint: string; step: (way: "undo" | "redo") => void };

/** The head of a page that shows a design in another way: its name and as what, the way back to its lines, undo and redo. */
export function OfDesign({ design, as, hint, step }: Props) {
  return (
    <div className="mb-2 flex items-start justify-between gap-4">
      <div className="min-w-0">
        <h1 className="truncate">
          {design.document.name}, {as}
        </h1>
        <p className="text-[12px] text-slate">
          <Link to={`/lines/${design.id}`} className={wordLook}>
            Its lines
          </Link>{" "}
          · {hint}
        </p>
      </div>
      <span className="flex gap-2">
        <StepButtons undo={design.undo} redo={design.redo} step={step} />
      </span>
    </div>
  );
}
