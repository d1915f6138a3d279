import { useState } from "react";
import { useNavigate, useParams } from "react-router";
import { type Shown, useTiles } from "../../api/useTiles";
import { Gone } from "../../ui/Gone";
import { useKeys } from "../../ui/keys";
import { Readings } from "../../ui/Readings";
import { OfDesign } from "../OfDesign";
import { TilesReadings } from "./TilesReadings";
import { TilesStage } from "./TilesStage";

/** What is drawn on the stage next: something that is left out, or that stays whole. */
export type Drawing = "openings" | "keep" | null;

/** A graphic that is larger than its stock, taken apart: seams on the art, tiles lifted off, and what is made of them. */
export default function TilesStation() {
  const id = Number(useParams().id);
  return <One key={id} id={id} />;
}

function One({ id }: { id: number }) {
  const station = useTiles(id);
  const navigate = useNavigate();
  const [tint, setTint] = useState(false);
  const [drawing, draw] = useState<Drawing>(null);
  const { design, tiles, error, step, change } = station;
  const next = () => tiles && nextStep(station as Shown, (run) => void navigate(`/run/${run}`));
  useKeys({
    "ctrl+z": () => step("undo"),
    "ctrl+shift+z": () => step("redo"),
    e: () => tiles?.document && change("even seams", { by: "even" }),
    c: () => tiles?.document && station.find(),
    t: () => setTint(!tint),
    w: () => draw(drawing === "openings" ? null : "openings"),
    k: () => draw(drawing === "keep" ? null : "keep"),
    Escape: () => draw(null),
    Enter: () => next(),
  });
  if (error) return <Gone error={error} />;
  if (!design || !tiles) return <main className="flex-1" />;
  const shown: Shown = { ...station, design, tiles };
  return (
    <>
      <main className="flex min-w-0 flex-1 flex-col px-16 pt-[18px] pb-6" aria-label="Tiles">
        <OfDesign
          design={design}
          as="in tiles"
          hint={drawing ? "drag over the art" : "drag a seam to move it; press a tile to lift it off or put it back"}
          step={step}
        />
        <TilesStage station={shown} tint={tint} drawing={drawing} drawn={() => draw(null)} />
      </main>
      <Readings label="Readings">
        <TilesReadings station={shown} tint={tint} setTint={setTint} drawing={drawing} draw={draw} next={next} />
      </Readings>
    </>
  );
}

/** What `Enter` does: the next step of the work. */
function nextStep({ tiles, begin, make, makeRun }: Shown, open: (run: number) => void) {
  const run = tiles.runs[0];
  if (!tiles.document) return begin();
  if (tiles.wrong) return;
  if (!tiles.fresh) return make();
  if (run !== undefined) return open(run);
  makeRun(open);
}
