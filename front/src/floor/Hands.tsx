import { useQueryClient } from "@tanstack/react-query";
import { CircleHelp, PencilRuler, Sparkles } from "lucide-react";
import { useState } from "react";
import { Link } from "react-router";
import type { Schemas } from "../api/client";
import { sayProblem } from "../api/held";
import { useCareDone } from "../api/useCare";
import { Button } from "../ui/Button";
import { dayOrClock } from "../ui/moments";
import { figure } from "../ui/units";
import { wordLook } from "../ui/look";

type Hand = Schemas["HandShown"];

const AT_A_GLANCE = 3;
/** Ranks of the server that say that a machine stands still. */
const STANDS = 1;

/** What needs hands now: the three most pressing, the rest on a press. */
export function Hands({ hands, more, open }: { hands: Hand[]; more: number; open: number }) {
  const [all, setAll] = useState(false);
  const shown = all ? hands : hands.slice(0, AT_A_GLANCE);
  const hidden = hands.length - AT_A_GLANCE + more;
  return (
    <section aria-label="Needs your hands">
      <div className="mb-2 flex items-baseline justify-between gap-4">
        <h2 className="text-[18px]">Needs your hands</h2>
        <span className="flex items-baseline gap-1.5 text-[12px] text-slate">
          {hidden > 0 && (
            <>
              <button type="button" onClick={() => setAll(!all)} className="min-h-7 font-semibold text-pine hover:underline">
                {all ? "only the first" : `${figure(hidden, 0)} more`}
              </button>
              ·
            </>
          )}
          <Link to="/floor/jobs" className={wordLook}>
            {open === 1 ? "1 open job" : `${figure(open, 0)} open jobs`}
          </Link>
          and all others by name, customer, month
        </span>
      </div>
      {hands.length === 0 && <p className="text-slate">Nothing waits for you.</p>}
      <div className="grid grid-cols-[repeat(auto-fill,minmax(250px,1fr))] gap-2.5">
        {shown.map((hand) => (
          <HandCard key={`${hand.rank} ${hand.path} ${hand.title}`} hand={hand} />
        ))}
      </div>
      {all && more > 0 && <p className="mt-2 text-slate">And {figure(more, 0)} more, when these are done.</p>}
    </section>
  );
}

function HandCard({ hand }: { hand: Hand }) {
  const queries = useQueryClient();
  const done = useCareDone({ onSuccess: () => void queries.invalidateQueries({ queryKey: ["floor"] }), onError: sayProblem });
  const care = hand.care_id;
  const rim = hand.rank <= STANDS ? "border-check" : "border-rule";
  return (
    <div className={`relative flex min-h-[92px] items-center gap-3 rounded-[7px] border bg-paper py-2 pr-3 pl-3 ${rim} hover:border-slate`}>
      <span className="flex h-[60px] w-[68px] shrink-0 items-center justify-center">
        <Picture hand={hand} />
      </span>
      <div className="min-w-0 flex-1">
        <Link to={hand.path} className="line-clamp-2 leading-[18px] font-semibold after:absolute after:inset-0 after:content-['']">
          {hand.title}
        </Link>
        <span className="block truncate text-[12px] text-slate">{hand.words}</span>
        <span className="block truncate text-[12px]">{hand.not_before ? `dry from ${dayOrClock(hand.not_before)}` : hand.detail}</span>
      </div>
      {care === null ? (
        <b aria-hidden="true" className="shrink-0 font-semibold text-pine">
          go
        </b>
      ) : (
        <span className="relative shrink-0">
          <Button narrow disabled={done.isPending} onClick={() => done.mutate(care)} aria-label={`${hand.title} is done`}>
            Done
          </Button>
        </span>
      )}
    </div>
  );
}

function Picture({ hand }: { hand: Hand }) {
  if (hand.thumb) return <img src={hand.thumb} alt="" loading="lazy" className="max-h-full max-w-full object-contain" />;
  const Icon = hand.care_id !== null ? Sparkles : hand.rank === 0 ? PencilRuler : CircleHelp;
  return <Icon aria-hidden="true" size={34} strokeWidth={1.4} className="text-kraft" />;
}
