import { useQuery } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import { useParams } from "react-router";
import { api, type Schemas, told } from "../../api/client";
import { useDesign } from "../../api/useDesign";
import { Gone } from "../../ui/Gone";
import { useKeys } from "../../ui/keys";
import { Readings } from "../../ui/Readings";
import { useSize } from "../../ui/zoom";
import { OfDesign } from "../OfDesign";
import { pictureOf } from "../seen";
import { FoldReadings } from "./FoldReadings";
import { FoldScene } from "./FoldScene";
import type { Folds } from "./folding";

const TURN = Math.PI / 12;

/** A design that is folded: its panels turn about their creases, with the art on them. */
export default function FoldStation() {
  const id = Number(useParams().id);
  return <One key={id} id={id} />;
}

function One({ id }: { id: number }) {
  const { design, error, step, change } = useDesign(id);
  const { data: folds, error: gone } = useQuery({
    queryKey: ["folds", id, design?.revision, design?.lines === null],
    queryFn: () => told(api.GET("/api/folds/{design_id}", { params: { path: { design_id: id } } })) as Promise<Folds>,
    placeholderData: (before) => before,
    enabled: design !== undefined,
  });
  const [share, setShare] = useState(0.75);
  const scene = useRef<FoldScene | null>(null);
  useKeys({
    "ctrl+z": () => step("undo"),
    "ctrl+shift+z": () => step("redo"),
    f: () => setShare(share < 1 ? 1 : 0),
    ArrowLeft: () => scene.current?.step(-TURN, 0, 1),
    ArrowRight: () => scene.current?.step(TURN, 0, 1),
    ArrowUp: () => scene.current?.step(0, -TURN, 1),
    ArrowDown: () => scene.current?.step(0, TURN, 1),
    "+": () => scene.current?.step(0, 0, 0.85),
    "-": () => scene.current?.step(0, 0, 1 / 0.85),
    "0": () => scene.current?.look(),
  });
  if (error ?? gone) return <Gone error={(error ?? gone) as Error} />;
  if (!design || !folds) return <main className="flex-1" />;
  return (
    <>
      <main className="flex min-w-0 flex-1 flex-col px-16 pt-[18px] pb-6" aria-label="Folded">
        <OfDesign
          design={design}
          as="folded"
          hint="drag to look at it from another side, or use the arrows; + and − go nearer and away"
          step={step}
        />
        {folds.trouble ? (
          <p className="flex flex-1 items-center justify-center">{folds.trouble}</p>
        ) : (
          <Stage key={folds.panels.length} design={design} folds={folds} share={share} held={scene} />
        )}
      </main>
      <Readings label="Readings">
        <FoldReadings folds={folds} share={share} setShare={setShare} change={change} />
      </Readings>
    </>
  );
}

type StageProps = { design: Schemas["DesignShown"]; folds: Folds; share: number; held: { current: FoldScene | null } };

function Stage({ design, folds, share, held }: StageProps) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const holder = useRef<HTMLDivElement>(null);
  const [width, height] = useSize(holder);
  const [missing, setMissing] = useState(false);
  const picture = pictureOf(design, true);
  const now = useRef({ share, width, height });
  now.current = { share, width, height };
  useEffect(() => {
    if (!canvas.current) return;
    try {
      const scene = new FoldScene(folds, canvas.current, picture);
      held.current = scene;
      if (now.current.width) scene.resize(now.current.width, now.current.height);
      scene.fold(now.current.share);
      scene.look();
    } catch {
      setMissing(true); // no WebGL in this browser: said below
    }
    return () => {
      held.current?.end();
      held.current = null;
    };
  }, [folds, picture, held]);
  useEffect(() => held.current?.fold(share), [share, held]);
  useEffect(() => {
    if (width) held.current?.resize(width, height);
  }, [width, height, held]);
  return (
    <div ref={holder} className="relative min-h-0 flex-1 overflow-hidden rounded-[4px] border border-rule">
      <canvas
        ref={canvas}
        role="img"
        aria-label={`${design.document.name}: ${folds.panels.length} panels, ${Math.round(share * 100)} % folded`}
        className="absolute inset-0 h-full w-full touch-none"
      />
      {missing && (
        <p className="absolute inset-0 flex items-center justify-center bg-paper">
          This browser draws nothing in space (WebGL). What was found is listed beside it all the same.
        </p>
      )}
    </div>
  );
}
