import { useMutation } from "@tanstack/react-query";
import { ArrowDown, ArrowLeft, ArrowRight, ArrowUp } from "lucide-react";
import { useState } from "react";
import { api, shown, told } from "../api/client";
import { sayProblem } from "../api/held";
import type { BenchSheet } from "../api/useSheet";
import { Action } from "../ui/Button";
import { figure } from "../ui/units";
import { pressedLook, whiteLook } from "../ui/look";

type Place = { x: number; y: number };
const ARROWS = [
  { name: "left", icon: ArrowLeft, way: [-1, 0] },
  { name: "right", icon: ArrowRight, way: [1, 0] },
  { name: "back", icon: ArrowDown, way: [0, -1] },
  { name: "on", icon: ArrowUp, way: [0, 1] },
] as const;
const STEPS = [0.1, 1, 10];

/** Marks taken by hand, one after the other: the head is led to each, at the machine or here, and its place is taken. */
export function ByHand({ bench, taken, main }: { bench: BenchSheet; taken: (bench: BenchSheet) => void; main: boolean }) {
  const id = bench.sheet.id;
  const path = { params: { path: { sheet_id: id } } };
  const [at, setAt] = useState<Place | null>(null);
  const [step, setStep] = useState(1);
  const lead = useMutation({
    mutationFn: (to: Place) => told(api.POST("/api/bench/{sheet_id}/lead", { ...path, body: to })),
    onSuccess: setAt,
    onError: sayProblem,
  });
  const take = useMutation({
    mutationFn: (mark: string) => shown<"BenchShown">(api.POST("/api/bench/{sheet_id}/take", { ...path, body: { mark_id: mark } })),
    onSuccess: (fresh) => {
      setAt(null);
      taken(fresh);
    },
    onError: sayProblem,
  });
  const pointing = bench.pointing;
  if (!pointing?.next) return null;
  const mark = pointing.next;
  const busy = lead.isPending || take.isPending;
  const from = at ?? pointing;
  return (
    <section aria-label="Marks by hand" className="rounded-[8px] border border-rule bg-white p-3.5">
      <p className="text-[18px] leading-6 font-semibold">
        Mark {mark.replace("m", "")}: {pointing.taken} of {pointing.total} taken
      </p>
      <p className="mt-1 mb-2.5">Lead the head to its middle, at the machine or here. Then take it.</p>
      <Action onClick={() => lead.mutate({ x: pointing.x, y: pointing.y })} disabled={busy}>
        Go to where it should be
      </Action>
      <div className="my-2 flex items-center gap-1.5" role="group" aria-label="Lead the head">
        {ARROWS.map(({ name, icon: Icon, way }) => (
          <button
            key={name}
            type="button"
            aria-label={`${step} mm ${name}`}
            disabled={busy}
            onClick={() => lead.mutate({ x: from.x + way[0] * step, y: from.y + way[1] * step })}
            className={`grid h-11 flex-1 place-items-center rounded-[6px] ${whiteLook} disabled:text-slate/60`}
          >
            <Icon size={18} aria-hidden />
          </button>
        ))}
      </div>
      <div className="mb-2.5 flex items-center gap-1.5" role="group" aria-label="Step">
        {STEPS.map((one) => (
          <button
            key={one}
            type="button"
            aria-pressed={step === one}
            onClick={() => setStep(one)}
            className={`h-9 flex-1 rounded-[6px] border border-rule bg-white ${pressedLook} aria-pressed:text-pine`}
          >
            {one} mm
          </button>
        ))}
      </div>
      <Action main={main} tall onClick={() => take.mutate(mark)} disabled={busy}>
        Take this mark
      </Action>
      {at && (
        <p className="mt-1.5 text-[12px] text-slate">
          The head stands at {figure(at.x, 1)}, {figure(at.y, 1)} mm
        </p>
      )}
      {bench.simulated && <SimulatedHand id={id} mark={mark} />}
    </section>
  );
}

/** At a real machine hands do this at its panel. */
function SimulatedHand({ id, mark }: { id: number; mark: string }) {
  const point = useMutation({
    mutationFn: () => told(api.POST("/api/room/sheets/{sheet_id}/point/{mark_id}", { params: { path: { sheet_id: id, mark_id: mark } } })),
    onError: sayProblem,
  });
  return (
    <div className="mt-2.5 rounded-[6px] border border-dashed border-slate p-2.5">
      <p className="mb-1.5 text-[12px] text-slate">Hands (simulated)</p>
      <Action onClick={() => point.mutate()} disabled={point.isPending}>
        Lead it there as hands can
      </Action>
    </div>
  );
}
