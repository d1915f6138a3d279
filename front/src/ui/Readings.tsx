import type { ReactNode } from "react";

/** The column on the right: figures first, the one main action next, settings below as lines that open in place. */
export function Readings({ children, label }: { children: ReactNode; label: string }) {
  return (
    <aside aria-label={label} className="w-[322px] shrink-0 overflow-y-auto border-l border-rule bg-paper px-[18px] py-4">
      {children}
    </aside>
  );
}

export function Big({ label, value, unit, tone, end }: { label: string; value: string; unit?: string; tone?: string; end?: boolean }) {
  return (
    <div className={end ? "text-right" : ""}>
      <div className="text-[12px] text-slate">{label}</div>
      <div className={`text-[27px] leading-8 font-bold tracking-tight whitespace-nowrap ${tone ?? ""}`}>
        {value}
        {unit && <span className="ml-0.5 text-[14px] font-semibold tracking-normal">{unit}</span>}
      </div>
    </div>
  );
}
