import type { Schemas } from "../api/client";
import type { Progress } from "../api/tasks";
import { Action } from "../ui/Button";
import { figure, length, useUnit } from "../ui/units";

const [NOW, OTHER] = ["border-2 border-ink", "border border-rule"];

type Run = Schemas["RunShown"];
type Step = (done: Schemas["LayoutStep"]) => void;

/** The layout of now and those set aside, one under the other at one scale, so that their lengths can be seen. */
export function Comparison({ run, step, close }: { run: Run; step: Step; close: () => void }) {
  const { kept } = run.document;
  const figures = run.figures;
  const now = figures && {
    name: "Now on the roll",
    length_mm: figures.length_mm,
    used_share: figures.used_share,
    pieces: figures.pieces,
    cost: figures.stock_cost,
    thumb: `/api/runs/${run.id}/thumb?${run.revision}`,
  };
  const rows = [
    ...(now ? [{ ...now, which: null }] : []),
    ...kept.map((one, which) => ({ ...one, which, thumb: `/api/runs/${run.id}/layouts/${which}/thumb?${one.length_mm}` })),
  ];
  const longest = Math.max(1, ...rows.map((row) => row.length_mm));
  const shortest = Math.min(...rows.map((row) => row.length_mm));
  return (
    <section aria-label="Layouts side by side" className="mt-2 flex min-h-0 flex-1 flex-col gap-2 overflow-y-auto">
      {rows.map((row) => (
        <div
          key={row.which ?? "now"}
          className={`flex min-h-0 flex-1 items-center gap-4 rounded-[7px] bg-paper p-2.5 ${row.which === null ? NOW : OTHER}`}
        >
          <div className="h-full min-h-[70px] min-w-0 flex-1">
            <img
              src={row.thumb}
              alt={`${row.name}, leading edge left`}
              style={{ width: `${(row.length_mm / longest) * 100}%` }}
              className="h-full object-contain object-left"
            />
          </div>
          <Words run={run} row={row} best={row.length_mm === shortest} />
          <div className="flex w-[92px] shrink-0 flex-col gap-1.5">
            {row.which === null ? (
              <Action looks onClick={close}>
                Back
              </Action>
            ) : (
              <>
                <Action onClick={() => step({ do: "take", which: row.which })}>Take it</Action>
                <button
                  type="button"
                  className="h-9 text-left font-semibold text-slate hover:underline"
                  onClick={() => step({ do: "let go", which: row.which })}
                >
                  Let it go
                </button>
              </>
            )}
          </div>
        </div>
      ))}
    </section>
  );
}

function Words({
  run,
  row,
  best,
}: {
  run: Run;
  row: { name: string; length_mm: number; used_share: number; pieces: number; cost: string | null };
  best: boolean;
}) {
  const unit = useUnit((state) => state.unit);
  return (
    <div className="w-[150px] shrink-0">
      <b className="font-semibold">{row.name}</b>
      <div className={`text-[18px] font-bold ${best ? "text-go" : ""}`}>
        {length(row.length_mm, unit, 0)}{" "}
        <span className="text-[12px] font-semibold">
          {unit}
          {best ? " · shortest" : ""}
        </span>
      </div>
      <div className="text-[12px] text-slate">
        {figure(row.used_share * 100, 1)} % used · {row.pieces} pieces
        <br />
        {row.cost} {run.figures?.currency}
      </div>
    </div>
  );
}

/** What the background is doing, and what it found. */
export function Offer({ run, progress, stop, step }: { run: Run; progress: Progress | null; stop: () => void; step: Step }) {
  const unit = useUnit((state) => state.unit);
  const { offer, figures } = run;
  if (offer && figures) {
    const more = offer.pieces - figures.pieces;
    return (
      <div role="status" className="mt-2 rounded-[6px] border-2 border-go bg-white px-3 py-2">
        <p>
          {more > 0 ? (
            `A layout with ${more} more pieces was found.`
          ) : (
            <>
              A layout{" "}
              <b className="font-semibold">
                {length(figures.length_mm - offer.length_mm, unit, 0)} {unit} shorter
              </b>{" "}
              was found, {offer.stock_cost} {offer.currency}.
            </>
          )}
        </p>
        <div className="mt-1.5 flex gap-1.5">
          <div className="flex-1">
            <Action onClick={() => step({ do: "take", which: null })}>Take it</Action>
          </div>
          <div className="flex-1">
            <Action onClick={() => step({ do: "let go", which: null })}>Leave it</Action>
          </div>
        </div>
      </div>
    );
  }
  if (!progress) return null;
  return (
    <p className="mt-2 flex items-center justify-between gap-2 text-[12px] text-slate">
      <span>Looking for a shorter one, {Math.round(progress.share * 100)} %. Go on working.</span>
      <button type="button" onClick={stop} className="min-h-9 font-semibold text-pine hover:underline">
        Stop
      </button>
    </p>
  );
}
