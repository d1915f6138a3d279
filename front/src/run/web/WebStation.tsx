import { useState } from "react";
import { Link, useParams } from "react-router";
import { useWeb } from "../../api/useWeb";
import { StepButtons } from "../../ui/Button";
import { Gone } from "../../ui/Gone";
import { useKeys } from "../../ui/keys";
import { Readings } from "../../ui/Readings";
import { WebDrawing } from "./WebDrawing";
import { WebReadings } from "./WebReadings";
import { wordLook } from "../../ui/look";

/** One repeat of a label web: a drawing with its figures on it, and all that follows of them. */
export default function WebStation() {
  const id = Number(useParams().id);
  return <One key={id} id={id} />;
}

function One({ id }: { id: number }) {
  const station = useWeb(id);
  const { web, error, change, step } = station;
  const [shown, show] = useState<number | null>(null);
  useKeys({ "ctrl+z": () => step("undo"), "ctrl+shift+z": () => step("redo"), Enter: station.make });
  if (error) return <Gone error={error} back="run/web" name="the label webs" />;
  if (!web) return <main className="flex-1" />;
  const every = web.document.mark?.every ?? 1;
  return (
    <>
      <main className="flex min-w-0 flex-1 flex-col px-16 pt-[18px] pb-6" aria-label="Label web">
        <div className="flex items-start justify-between gap-4">
          <div className="min-w-0">
            <h1 className="truncate">{web.document.name}</h1>
            <p className="text-[12px] text-slate">
              <Link to="/run/web" className={wordLook}>
                All label webs
              </Link>{" "}
              · {every > 1 ? `${every} repeats` : "one repeat"}; what is at the bottom is printed first. Press a figure to change it.
            </p>
          </div>
          <span className="flex gap-2">
            <StepButtons undo={web.undo} redo={web.redo} step={step} />
          </span>
        </div>
        <WebDrawing web={web} change={change} shown={shown} />
      </main>
      <Readings label="Readings">
        <WebReadings station={{ ...station, web }} show={show} />
      </Readings>
    </>
  );
}
