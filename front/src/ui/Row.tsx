import { ChevronDown } from "lucide-react";
import { type ReactNode, useId } from "react";
import { useRemembered } from "./remembered";

export function Section({ title, children, aside }: { title: string; children: ReactNode; aside?: ReactNode }) {
  return (
    <section className="mt-4">
      <h2 className="mb-0.5 flex justify-between">
        {title}
        {aside}
      </h2>
      {children}
    </section>
  );
}

/** A section that opens and closes, and remembers it; `name` is what it is remembered by. */
export function Fold({ name, title, children, closed }: { name: string; title: string; children: ReactNode; closed?: boolean }) {
  const id = useId();
  const [open, setOpen] = useRemembered(`open ${name}`, !closed);
  return (
    <section className="mt-4">
      <h2>
        <button
          type="button"
          aria-expanded={open}
          aria-controls={id}
          onClick={() => setOpen(!open)}
          className="flex min-h-9 w-full items-center justify-between text-left hover:text-pine"
        >
          {title}
          <ChevronDown aria-hidden="true" size={16} className={`text-slate ${open ? "rotate-180" : ""}`} />
        </button>
      </h2>
      {open && <div id={id}>{children}</div>}
    </section>
  );
}

/** A field under its words. */
export function Labelled({ words, children }: { words: string; children: ReactNode }) {
  return (
    <label className="mt-2 block">
      <span className="text-[12px] text-slate">{words}</span>
      {children}
    </label>
  );
}

export function Row({ label, children, tone }: { label: ReactNode; children: ReactNode; tone?: string }) {
  return (
    <div className="flex min-h-[33px] items-center justify-between gap-3 border-b border-rule">
      <span>{label}</span>
      <span className={`text-right font-semibold ${tone ?? ""}`}>{children}</span>
    </div>
  );
}

type OpenRowProps = { label: string; shown: ReactNode; why: string; open: boolean; setOpen: (open: boolean) => void; children: ReactNode };

export function OpenRow({ label, shown, why, open, setOpen, children }: OpenRowProps) {
  const id = useId();
  return (
    <div className="border-b border-rule">
      <button
        type="button"
        aria-expanded={open}
        aria-controls={id}
        onClick={() => setOpen(!open)}
        className="flex min-h-[36px] w-full items-center justify-between gap-3 text-left hover:text-pine"
      >
        <span>{label}</span>
        <span className="font-semibold">{shown}</span>
      </button>
      {open && (
        <div id={id} className="pb-2.5">
          {children}
          <p className="mt-1.5 text-[12px] text-slate">{why}</p>
        </div>
      )}
    </div>
  );
}
