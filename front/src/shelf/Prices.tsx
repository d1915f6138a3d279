import { useQuery } from "@tanstack/react-query";
import { type Prices as PricesShown, pricesQuery, usePriceChange } from "../api/useMoney";
import { NumberRow } from "../ui/Field";
import { figure } from "../ui/units";
import { NamedTile } from "./NamedTile";

const ROWS = [
  [
    "hour_printer",
    "An hour of a printer",
    "What it costs the shop besides stock and ink: its price over its years, room, power, repairs.",
    2,
  ],
  ["hour_cutter", "An hour of a cutter", "The same of a cutter.", 2],
  ["hour_hands", "An hour of hands", "What an hour of work costs the shop, not what is paid out.", 2],
  ["run_minutes", "Setting up a run", "Minutes of hands until a run prints: the roll, the first look at it.", 1],
  ["frame_minutes", "Loading a frame", "Minutes of hands until the cutter cuts a frame.", 1],
  ["margin_percent", "Margin", "The share of the price that is not cost: 50 % makes the price twice the cost.", 1],
] as const;

export function PriceTiles({ chosen, choose }: { chosen: boolean; choose: () => void }) {
  const { data } = useQuery(pricesQuery);
  if (!data) return null;
  return (
    <section aria-label="Prices" className="mb-6">
      <h2 className="mb-2">Prices</h2>
      <div className="flex flex-wrap gap-2.5">
        <NamedTile
          name="Prices of the shop"
          words={
            Number(data.hour_hands)
              ? `hands ${figure(Number(data.hour_hands), 2)} ${data.currency} an hour · margin ${data.margin_percent} %`
              : "not set yet"
          }
          chosen={chosen}
          choose={choose}
        />
      </div>
    </section>
  );
}

/** What an hour costs, how long setting up takes, what the shop wants to earn. */
export function PriceSettings() {
  const { data } = useQuery(pricesQuery);
  const change = usePriceChange();
  if (!data) return null;
  const suffix = (key: (typeof ROWS)[number][0]) =>
    key.startsWith("hour") ? `${data.currency} an hour` : key === "margin_percent" ? "%" : "min";
  return (
    <>
      <h1>Prices of the shop</h1>
      <p className="mt-1 mb-2 text-slate">Stock, film and ink have their prices where they stand; these are the rest of a quote.</p>
      {ROWS.map(([key, label, why, decimals]) => (
        <NumberRow
          key={key}
          label={label}
          kind="plain"
          suffix={suffix(key)}
          decimals={decimals}
          zero="nothing"
          value={Number(data[key])}
          least={0}
          most={key === "margin_percent" ? 95 : 10_000}
          why={why}
          onChange={(value) => change.mutate({ ...data, [key]: value } as PricesShown)}
        />
      ))}
    </>
  );
}
