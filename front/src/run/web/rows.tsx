import { NumberRow } from "../../ui/Field";

/** A length that may be left to follow from the rest: 0 is nothing typed. */
export function Free({
  label,
  value,
  zero,
  why,
  put,
}: {
  label: string;
  value: number | null;
  zero: string;
  why: string;
  put: (v: number | null) => void;
}) {
  return <NumberRow label={label} value={value ?? 0} zero={zero} decimals={2} least={0} why={why} onChange={(next) => put(next || null)} />;
}

export function Count({
  label,
  value,
  why,
  put,
  most = 500,
}: {
  label: string;
  value: number;
  why: string;
  put: (v: number) => void;
  most?: number;
}) {
  return (
    <NumberRow
      label={label}
      kind="plain"
      decimals={0}
      step={1}
      least={1}
      most={most}
      value={value}
      why={why}
      onChange={(next) => put(Math.round(next))}
    />
  );
}
