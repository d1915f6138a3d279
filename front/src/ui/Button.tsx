import { type ButtonHTMLAttributes, type ReactNode, useRef } from "react";
import { Link } from "react-router";
import { pineLook, pressedLook, whiteLook, wordLook } from "./look";
import { useLooksOnly } from "./looksOnly";

const [DARK_KEY, LIGHT_KEY] = ["border-white/30 text-white/85", "border-rule bg-white text-slate"];
const FILE_LOOK = `${whiteLook} focus-within:outline-2 focus-within:outline-pine`;

export function Key({ children, onDark }: { children: ReactNode; onDark?: boolean }) {
  return <kbd className={`rounded border px-1.5 font-sans text-[11px] whitespace-nowrap ${onDark ? DARK_KEY : LIGHT_KEY}`}>{children}</kbd>;
}

type Looks = {
  /** It changes nothing but what is seen, or what is one's own: whoever may only look may press it. */
  looks?: boolean;
};

type ButtonProps = Looks &
  Omit<ButtonHTMLAttributes<HTMLButtonElement>, "className" | "type"> & {
    hint?: string;
    /** At arm's length: the Bench. */
    tall?: boolean;
    /** Among many, in a row. */
    narrow?: boolean;
  };

/** A plain button with its key; `aria-pressed` shows that what it turns on is on. */
export function Button({ hint, tall, narrow, looks, disabled, children, ...rest }: ButtonProps) {
  const looksOnly = useLooksOnly();
  return (
    <button
      type="button"
      {...rest}
      disabled={disabled || (looksOnly && !looks)}
      className={`${buttonLook} ${tall ? "h-11 px-4" : narrow ? "h-9 px-2.5" : "h-9 px-3.5"}`}
    >
      {children}
      {hint && <Key>{hint}</Key>}
    </button>
  );
}

/** The look of a button, for what is a link by nature. */
export const buttonLook =
  `flex shrink-0 items-center gap-2 rounded-[6px] font-semibold ${whiteLook} ` +
  `disabled:text-slate/60 ${pressedLook} aria-pressed:text-pine`;

/** A button that looks like a word: lesser actions. */
export function TextButton({ hint, looks, disabled, children, ...rest }: Omit<ButtonProps, "tall" | "narrow">) {
  const looksOnly = useLooksOnly();
  return (
    <button
      type="button"
      {...rest}
      disabled={disabled || (looksOnly && !looks)}
      className="flex min-h-9 w-full items-center justify-between font-semibold text-pine hover:underline disabled:text-slate/60"
    >
      {children}
      {hint && <Key>{hint}</Key>}
    </button>
  );
}

/** A word to press, among others or in a row. */
export function WordButton({ looks, disabled, children, ...rest }: Omit<ButtonProps, "tall" | "narrow" | "hint">) {
  const looksOnly = useLooksOnly();
  return (
    <button type="button" {...rest} disabled={disabled || (looksOnly && !looks)} className={`shrink-0 ${wordLook}`}>
      {children}
    </button>
  );
}

type ActionProps = Looks & { children: ReactNode; hint?: string; onClick: () => void; main?: boolean; disabled?: boolean; tall?: boolean };

export function Action({ children, hint, onClick, main, disabled, tall, looks }: ActionProps) {
  const looksOnly = useLooksOnly();
  const look = main ? `${pineLook} disabled:bg-pine-faint` : `${whiteLook} disabled:text-slate/60`;
  const size = tall ? "h-[52px] text-[16px]" : main ? "h-[41px] text-[14px]" : "h-9";
  return (
    <button
      type="button"
      onClick={onClick}
      disabled={disabled || (looksOnly && !looks)}
      className={`flex w-full items-center justify-between rounded-[6px] px-3.5 text-left font-semibold ${size} ${look}`}
    >
      <span>{children}</span>
      {hint && <Key onDark={main}>{hint}</Key>}
    </button>
  );
}

export function StepButtons({ undo, redo, step }: { undo?: string | null; redo?: string | null; step: (way: "undo" | "redo") => void }) {
  return (
    <>
      <Button disabled={!undo} title={undo ? `Undo ${undo} (Ctrl Z)` : "Nothing to undo"} onClick={() => step("undo")}>
        Undo
      </Button>
      <Button disabled={!redo} title={redo ? `Redo ${redo} (Ctrl Shift Z)` : "Nothing to redo"} onClick={() => step("redo")}>
        Redo
      </Button>
    </>
  );
}

/** A way to another place, within a sentence. */
export function Way({ to, children }: { to: string; children: ReactNode }) {
  return (
    <Link to={to} className="font-semibold text-pine underline">
      {children}
    </Link>
  );
}

/** A button that asks for a file; its words are those of what is under it. */
export function FileButton({ accept, take, children }: { accept: string; take: (file: File) => void; children: ReactNode }) {
  const looksOnly = useLooksOnly();
  const pressed = looksOnly ? "text-slate/60" : "cursor-pointer";
  return (
    <label className={`flex min-h-9 items-center justify-center rounded-[6px] px-3 font-semibold ${FILE_LOOK} ${pressed}`}>
      {children}
      <input
        type="file"
        disabled={looksOnly}
        accept={accept}
        className="sr-only"
        onChange={(event) => event.target.files?.[0] && take(event.target.files[0])}
      />
    </label>
  );
}

export const linkLook = `text-[13px] ${wordLook}`;

type FileLinkProps = { accept: string; label?: string; take: (file: File) => void; disabled?: boolean; children: string };

/** A line of words that asks for a file; `label` names the field where the words alone would not. */
export function FileLink({ accept, label, take, disabled, children }: FileLinkProps) {
  const looksOnly = useLooksOnly();
  const field = useRef<HTMLInputElement>(null);
  return (
    <>
      <button type="button" className={linkLook} onClick={() => field.current?.click()} disabled={disabled || looksOnly}>
        {children}
      </button>
      <input
        ref={field}
        type="file"
        accept={accept}
        aria-label={label ?? children}
        className="hidden"
        onChange={(event) => {
          const given = event.target.files?.[0];
          if (given) take(given);
          event.target.value = "";
        }}
      />
    </>
  );
}
