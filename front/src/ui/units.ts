import { create } from "zustand";
import { persist } from "zustand/middleware";

export type Unit = "mm" | "in";
export const MM_PER_INCH = 25.4;

export const useUnit = create<{ unit: Unit; toggle: () => void }>()(
  persist((set) => ({ unit: "mm", toggle: () => set((now) => ({ unit: now.unit === "mm" ? "in" : "mm" })) }), { name: "etiquette-unit" }),
);

/** A figure with a fixed number of decimals and thin spaces between thousands. */
export function figure(value: number, decimals: number): string {
  const [whole = "", rest] = Math.abs(value).toFixed(decimals).split(".");
  const grouped = whole.replace(/\B(?=(\d{3})+$)/g, "\u2009");
  const zero = Number(value.toFixed(decimals)) === 0;
  return `${value < 0 && !zero ? "−" : ""}${grouped}${rest ? `.${rest}` : ""}`;
}

export function length(mm: number, unit: Unit, decimals = 1): string {
  return unit === "mm" ? figure(mm, decimals) : figure(mm / MM_PER_INCH, decimals + 2);
}

export function metres(mm: number): string {
  return `${figure(mm / 1000, 1)} m`;
}
