import type { ReactNode } from "react";

const TONES = {
  plain: "border-rule bg-white",
  go: "border-go-rule bg-pine-wash",
  check: "border-check bg-check-wash",
  stop: "border-stop bg-stop-wash",
} as const;

/** A box that says one thing, in the tone of what it says. */
export function Card({ tone = "plain", label, children }: { tone?: keyof typeof TONES; label?: string; children: ReactNode }) {
  return (
    <section aria-label={label} role={label ? "status" : undefined} className={`rounded-[8px] border p-4 ${TONES[tone]}`}>
      {children}
    </section>
  );
}

/** A sentence that has to be seen: `stop` is read out at once. */
export function Note({ tone = "check", children }: { tone?: "check" | "stop"; children: ReactNode }) {
  return (
    <p
      role={tone === "stop" ? "alert" : undefined}
      className={`mt-2 rounded-[6px] border bg-white px-3 py-2 ${tone === "stop" ? "border-stop text-stop" : "border-check"}`}
    >
      {children}
    </p>
  );
}
