import { type FormEvent, type InputHTMLAttributes, type ReactNode, useEffect, useRef } from "react";
import { pineLook } from "../ui/look";

/** A sheet on the bench with one thing to do on it, its marks about it. */
export function Slip({ title, children }: { title: string; children: ReactNode }) {
  return (
    <main className="flex h-full items-center justify-center bg-felt p-6">
      <div className="relative w-[420px] rounded-[3px] bg-white p-3 shadow-md">
        {["top-1 left-1", "top-1 right-1", "bottom-1 left-1", "bottom-1 right-1"].map((place) => (
          <span key={place} aria-hidden="true" className={`absolute h-2 w-2 rounded-full bg-ink ${place}`} />
        ))}
        <div className="m-3 rounded-[26px] border-2 border-kiss bg-paper px-8 py-7">
          <div className="mb-4 flex items-center gap-2.5 text-[15px] font-bold tracking-tight" aria-hidden="true">
            <svg width="17" height="17" viewBox="0 0 19 19">
              <path d="M0 0H19V11L11 19H0Z" fill="var(--color-pine)" />
              <path d="M11 19V11H19Z" fill="var(--color-kraft)" />
            </svg>
            Etiquette
          </div>
          <h1 className="mb-3 text-[20px] leading-6">{title}</h1>
          {children}
        </div>
      </div>
    </main>
  );
}

type LineProps = {
  words: string;
  /** What is typed goes here as soon as it is shown. */
  grab?: boolean;
} & Omit<InputHTMLAttributes<HTMLInputElement>, "className">;

/** A field to type into, under its words. */
export function Line({ words, grab, ...rest }: LineProps) {
  const field = useRef<HTMLInputElement>(null);
  useEffect(() => {
    if (grab) field.current?.focus();
  }, [grab]);
  return (
    <label className="mt-2.5 block">
      <span className="text-[12px] text-slate">{words}</span>
      <input
        ref={field}
        {...rest}
        className="mt-0.5 h-10 w-full rounded-[5px] border border-rule bg-white px-2.5 text-[15px] font-semibold"
      />
    </label>
  );
}

/** A form whose one action is sent by Enter too, and what went wrong under it. */
export function Form({ send, problem, children }: { send: () => void; problem?: Error | null; children: ReactNode }) {
  const submit = (event: FormEvent) => {
    event.preventDefault();
    send();
  };
  return (
    <form onSubmit={submit}>
      {children}
      {problem && (
        <p role="alert" className="mt-2.5 font-semibold text-stop">
          {problem.message}
        </p>
      )}
    </form>
  );
}

export function Send({ children, disabled }: { children: string; disabled?: boolean }) {
  return (
    <button
      type="submit"
      disabled={disabled}
      className={`mt-4 h-[44px] w-full rounded-[6px] px-3.5 text-left text-[15px] font-semibold ${pineLook} disabled:bg-pine-faint`}
    >
      {children}
    </button>
  );
}

export function Tick({ words, checked, set }: { words: string; checked: boolean; set: (on: boolean) => void }) {
  return (
    <label className="mt-2 flex min-h-9 items-center gap-2.5">
      <input type="checkbox" checked={checked} onChange={(event) => set(event.target.checked)} className="h-4 w-4 accent-(--color-pine)" />
      {words}
    </label>
  );
}
