import { type KeyboardEvent, useEffect, useRef, useState } from "react";
import { api, told } from "../api/client";
import { fixedLook } from "./look";
import { useLooksOnly } from "./looksOnly";
import { OpenRow } from "./Row";
import { figure, length, MM_PER_INCH, useUnit } from "./units";
import { wheelSteps } from "./wheel";

type NumberRowProps = {
  label: string;
  why: string;
  value: number | null;
  onChange: (value: number) => void;
  /** `length` takes units and sums; `plain` is a bare number. */
  kind?: "length" | "plain";
  /** Points that are typed are of the thickness of card, not of type. */
  points?: "card";
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
  const text =
    value === null
      ? "not known"
      : value === 0 && zero
        ? zero
        : kind === "length"
          ? `${sign}${length(value, unit, decimals)} ${unit}`
          : `${figure(value, decimals)}${suffix ? ` ${suffix}` : ""}`;
  return (
    <OpenRow label={label} shown={text} why={why} open={open} setOpen={setOpen}>
      <NumberField {...props} close={() => setOpen(false)} />
    </OpenRow>
  );
}

/**
 * Takes units, arithmetic, arrow keys (Shift ×10, Alt ÷10) and the wheel while it has the focus. Sums are done by the server: one
 * reader of lengths for all.
 */
export function NumberField({
  label,
  value,
  onChange,
  kind = "length",
  step = 0.5,
  decimals = 1,
  least = -1e6,
  most = 1e6,
  suffix,
  points,
  slide,
  onLive,
  close,
}: NumberRowProps & { close?: () => void }) {
  const unit = useUnit((state) => state.unit);
  const scale = kind === "length" && unit === "in" ? MM_PER_INCH : 1;
  const written = value === null ? "" : plainNumber(value / scale, decimals, decimals + (scale === 1 ? 2 : 4));
  const [draft, setDraft] = useState<{ of: string; text: string }>({ of: written, text: written });
  const [wrong, setWrong] = useState<string | null>(null);
  const looksOnly = useLooksOnly();
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
      const read =
        kind === "length"
          ? (await told(api.GET("/api/length", { params: { query: { text, unit, points } } }))).mm
          : Number(text.replace(",", "."));
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
    const steps = wheelSteps();
    const wheel = (event: WheelEvent) => {
      if (document.activeElement !== input) return;
      if (!event.ctrlKey) event.preventDefault();
      const step = steps(event);
      if (step) nudger.current(step, event);
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
        disabled={looksOnly}
        aria-label={label}
        aria-invalid={wrong !== null}
        value={text}
        inputMode="text"
        onChange={(event) => setDraft({ of: written, text: event.target.value })}
        onKeyDown={pressed}
        // going to the slider below does not commit, it belongs to the field; and leaving never closes the row: what the
        // pointer is about to press would jump away from under it
        onBlur={(event) => event.currentTarget.parentElement?.contains(event.relatedTarget) || void commit(false)}
        className={`h-9 w-full rounded-[5px] border border-rule bg-white px-2.5 font-semibold ${fixedLook}`}
      />
      {slide && !looksOnly && (
        <Slide label={label} value={value ?? slide[0]} ends={slide} step={step / 5} live={follow} settle={onChange} />
      )}
      {wrong && (
        <p role="alert" className="mt-1 text-[12px] text-stop">
          {wrong}
        </p>
      )}
    </div>
  );
}

function Slide({
  label,
  value,
  ends,
  step,
  live,
  settle,
}: {
  label: string;
  value: number;
  ends: [number, number];
  step: number;
  live?: (value: number) => void;
  settle: (value: number) => void;
}) {
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

type TextFieldProps = { label: string; value: string; longest?: number; large?: boolean; onChange: (value: string) => void };

/** A line of text, kept by Enter or by leaving it. */
export function TextField({ label, value, longest = 80, large, onChange }: TextFieldProps) {
  return (
    <input
      disabled={useLooksOnly()}
      aria-label={label}
      key={value}
      defaultValue={value}
      maxLength={longest}
      onBlur={(event) => event.target.value !== value && onChange(event.target.value)}
      onKeyDown={(event) => event.key === "Enter" && event.currentTarget.blur()}
      className={`w-full rounded-[5px] border border-rule bg-white px-2.5 font-semibold ${fixedLook} ${large ? "h-10 text-[18px]" : "h-9"}`}
    />
  );
}
