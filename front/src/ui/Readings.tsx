import { ToggleGroup } from "radix-ui";
import { type KeyboardEvent, type ReactNode, useEffect, useId, useRef, useState } from "react";
import { toast } from "sonner";
import { api, told } from "../api/client";
import type { Progress } from "../api/tasks";
import { figure, length, MM_PER_INCH, useUnit } from "./units";

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

export function Key({ children, onDark }: { children: ReactNode; onDark?: boolean }) {
  return (
    <kbd className={`rounded border px-1.5 font-sans text-[11px] ${onDark ? "border-white/30 text-white/85" : "border-rule bg-white text-slate"}`}>{children}</kbd>
  );
}

type ActionProps = { children: ReactNode; hint?: string; onClick: () => void; main?: boolean; disabled?: boolean; tall?: boolean };

export function Action({ children, hint, onClick, main, disabled, tall }: ActionProps) {
  const look = main ? "bg-pine text-white hover:bg-[#0b4a3f] disabled:bg-[#8ba69f]" : "border border-rule bg-white hover:border-slate disabled:text-slate/60";
  return (
    <button
      type="button"
      onClick={onClick}
      disabled={disabled}
      className={`flex w-full items-center justify-between rounded-[6px] px-3.5 text-left font-semibold ${tall ? "h-[52px] text-[16px]" : main ? "h-[41px] text-[14px]" : "h-9"} ${look}`}
    >
      <span>{children}</span>
      {hint && <Key onDark={main}>{hint}</Key>}
    </button>
  );
}

/** Progress with a number, and a way out. */
export function Working({ progress, cancel, stopWords = "Stop" }: { progress: Progress; cancel?: () => void; stopWords?: string }) {
  return (
    <div className="rounded-[6px] border border-rule bg-white px-3.5 py-2" role="status">
      <div className="flex justify-between gap-3">
        <span>{progress.words}</span>
        <span className="font-semibold">{Math.round(progress.share * 100)} %</span>
      </div>
      <div className="mt-1.5 h-1.5 rounded-full bg-[#e6ddcf]">
        <div className="h-full rounded-full bg-kraft" style={{ width: `${progress.share * 100}%` }} />
      </div>
      {cancel && (
        <button type="button" onClick={cancel} className="mt-2 h-9 rounded-[5px] border border-rule px-3 font-semibold">
          {stopWords}
        </button>
      )}
    </div>
  );
}

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

export function Row({ label, children, tone }: { label: ReactNode; children: ReactNode; tone?: string }) {
  return (
    <div className="flex min-h-[33px] items-center justify-between gap-3 border-b border-rule">
      <span>{label}</span>
      <span className={`text-right font-semibold ${tone ?? ""}`}>{children}</span>
    </div>
  );
}

type OpenRowProps = { label: string; shown: ReactNode; why: string; open: boolean; setOpen: (open: boolean) => void; children: ReactNode };

function OpenRow({ label, shown, why, open, setOpen, children }: OpenRowProps) {
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

type NumberRowProps = {
  label: string;
  why: string;
  value: number | null;
  onChange: (value: number) => void;
  /** `length` takes units and sums; `plain` is a bare number. */
  kind?: "length" | "plain";
  suffix?: string;
  /** Shown instead of 0. */
  zero?: string;
  step?: number;
  decimals?: number;
  least?: number;
  most?: number;
  signed?: boolean;
  startOpen?: boolean;
  /** A number that changes opens the field from outside: a key. */
  opener?: number;
  /** A slider under the field, from least to most; `onLive` is told every step of it, `onChange` where it is let go. */
  slide?: [number, number];
  onLive?: (value: number) => void;
};

export function NumberRow(props: NumberRowProps) {
  const { label, why, value, kind = "length", zero, suffix, decimals = 1, signed, startOpen = false, opener = 0 } = props;
  const unit = useUnit((state) => state.unit);
  const [open, setOpen] = useState(startOpen);
  const [opened, setOpened] = useState(opener);
  if (opened !== opener) {
    setOpened(opener);
    setOpen(true);
  }
  const sign = signed && value !== null && value > 0 ? "+" : "";
  const text = value === null ? "not known" : value === 0 && zero ? zero : kind === "length" ? `${sign}${length(value, unit, decimals)} ${unit}` : `${figure(value, decimals)}${suffix ? ` ${suffix}` : ""}`;
  return (
    <OpenRow label={label} shown={text} why={why} open={open} setOpen={setOpen}>
      <NumberField {...props} close={() => setOpen(false)} />
    </OpenRow>
  );
}

/** Takes units, arithmetic, arrow keys (Shift ×10, Alt ÷10) and the wheel while it has the focus. Sums are done by the server: one reader of lengths for all. */
export function NumberField({ label, value, onChange, kind = "length", step = 0.5, decimals = 1, least = -1e6, most = 1e6, suffix, slide, onLive, close }: NumberRowProps & { close?: () => void }) {
  const unit = useUnit((state) => state.unit);
  const scale = kind === "length" && unit === "in" ? MM_PER_INCH : 1;
  const written = value === null ? "" : plainNumber(value / scale, decimals, decimals + (scale === 1 ? 2 : 4));
  const [draft, setDraft] = useState<{ of: string; text: string }>({ of: written, text: written });
  const [wrong, setWrong] = useState<string | null>(null);
  const field = useRef<HTMLInputElement>(null);
  const grab = close !== undefined;
  const text = draft.of === written ? draft.text : written;
  const nudged = useRef(value ?? 0);
  useEffect(() => {
    nudged.current = value ?? 0;
  }, [value]);
  useEffect(() => {
    if (grab) field.current?.select();
  }, [grab]);

  const commit = async (closing: boolean) => {
    if (text.trim() === written) return closing && close?.();
    try {
      const read = kind === "length" ? (await told(api.GET("/api/length", { params: { query: { text, unit } } }))).mm : Number(text.replace(",", "."));
      if (!Number.isFinite(read)) throw new Error(`“${text}” is not a number.`);
      setWrong(null);
      onChange(read);
    } catch (error) {
      setWrong((error as Error).message);
    }
  };
  const nudge = (direction: number, event: { shiftKey: boolean; altKey: boolean }) => {
    const by = step * scale * (event.shiftKey ? 10 : event.altKey ? 0.1 : 1) * direction;
    nudged.current = Math.min(most, Math.max(least, Number((nudged.current + by).toFixed(6))));
    onChange(nudged.current);
  };
  const nudger = useRef(nudge);
  useEffect(() => {
    nudger.current = nudge;
  });
  useEffect(() => {
    const input = field.current;
    // React's own wheel listener is passive and could not keep the column from scrolling
    const wheel = (event: WheelEvent) => {
      if (document.activeElement !== input) return;
      event.preventDefault();
      nudger.current(event.deltaY < 0 ? 1 : -1, event);
    };
    input?.addEventListener("wheel", wheel, { passive: false });
    return () => input?.removeEventListener("wheel", wheel);
  }, []);
  const follow = (next: number) => {
    setDraft({ of: written, text: plainNumber(next / scale, decimals, decimals) });
    onLive?.(next);
  };
  const pressed = (event: KeyboardEvent) => {
    if (event.key === "Enter") void commit(true);
    if (event.key === "Escape") close?.();
    if (event.key === "ArrowUp" || event.key === "ArrowDown") {
      event.preventDefault();
      nudge(event.key === "ArrowUp" ? 1 : -1, event);
    }
  };
  return (
    <div className="relative">
      <span className="pointer-events-none absolute top-2 right-3 text-[12px] text-slate">{kind === "length" ? unit : suffix}</span>
      <input
        ref={field}
        aria-label={label}
        aria-invalid={wrong !== null}
        value={text}
        inputMode="text"
        onChange={(event) => setDraft({ of: written, text: event.target.value })}
        onKeyDown={pressed}
        // going to the slider below does not commit, it belongs to the field; and leaving never closes the row: what the
        // pointer is about to press would jump away from under it
        onBlur={(event) => event.currentTarget.parentElement?.contains(event.relatedTarget) || void commit(false)}
        className="h-9 w-full rounded-[5px] border border-rule bg-white px-2.5 font-semibold"
      />
      {slide && <Slide label={label} value={value ?? slide[0]} ends={slide} step={step / 5} live={follow} settle={onChange} />}
      {wrong && (
        <p role="alert" className="mt-1 text-[12px] text-stop">
          {wrong}
        </p>
      )}
    </div>
  );
}

function Slide({ label, value, ends, step, live, settle }: { label: string; value: number; ends: [number, number]; step: number; live?: (value: number) => void; settle: (value: number) => void }) {
  const [held, setHeld] = useState<number | null>(null);
  const letGo = () => {
    if (held !== null && held !== value) settle(held);
    setHeld(null);
  };
  return (
    <input
      type="range"
      aria-label={`${label}, slider`}
      className="mt-1 h-9 w-full accent-(--color-pine)"
      min={ends[0]}
      max={ends[1]}
      step={step}
      value={held ?? value}
      // keeps the focus in the field: leaving it would commit what is typed there
      onPointerDown={(event) => event.currentTarget.focus({ preventScroll: true })}
      onChange={(event) => {
        const next = Number(event.target.value);
        setHeld(next);
        live?.(next);
      }}
      onPointerUp={letGo}
      onKeyUp={letGo}
      onBlur={letGo}
    />
  );
}

/** As many decimals as are shown, more only where the value has them. */
function plainNumber(value: number, least: number, most: number): string {
  const short = value.toFixed(least);
  return Math.abs(Number(short) - value) < 10 ** -(most + 1) ? short : String(Number(value.toFixed(most)));
}

type ChoiceRowProps<T extends string> = { label: string; why: string; value: T; choices: [T, string][]; onChange: (value: T) => void; children?: ReactNode };

export function ChoiceRow<T extends string>({ label, why, value, choices, onChange, children }: ChoiceRowProps<T>) {
  const [open, setOpen] = useState(false);
  return (
    <OpenRow label={label} shown={choices.find(([name]) => name === value)?.[1] ?? value} why={why} open={open} setOpen={setOpen}>
      <ToggleGroup.Root type="single" value={value} aria-label={label} onValueChange={(next) => next && onChange(next as T)} className="flex flex-wrap gap-1.5">
        {choices.map(([name, words]) => (
          <ToggleGroup.Item
            key={name}
            value={name}
            className="min-h-9 rounded-[5px] border border-rule bg-white px-2.5 py-1 text-left data-[state=on]:border-pine data-[state=on]:bg-pine-wash data-[state=on]:font-semibold"
          >
            {words}
          </ToggleGroup.Item>
        ))}
      </ToggleGroup.Root>
      {children}
    </OpenRow>
  );
}

export function sayProblem(error: unknown) {
  toast.error((error as Error).message);
}
