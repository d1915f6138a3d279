import { useAsked, useShelf } from "../api/useShelf";
import { Button } from "../ui/Button";
import { TextField } from "../ui/Field";
import { Section } from "../ui/Row";
import type { Entry } from "./fields";

type Named = { id: number; name: string; address: string };

/** What each printer calls a stock: chosen from what lies on it, compared before a print, and sent by that name. */
export function PrinterNames({ stock }: { stock: Entry }) {
  const { shelf } = useShelf();
  const printers = shelf?.printer.filter((one) => !one.away && one.address) ?? [];
  const row = shelf?.stock.find((one) => one.id === stock.id);
  if (!row || printers.length === 0) return null;
  return (
    <Section title="What printers call it">
      {printers.map((printer) => (
        <OneName key={printer.id} printer={printer} row={row} />
      ))}
    </Section>
  );
}

function OneName({ printer, row }: { printer: Named; row: { id: number; version: number; names: Record<string, string> } }) {
  const { change } = useShelf();
  const asked = useAsked("printer", printer.id);
  const set = (name: string) => {
    const names = { ...row.names, [String(printer.id)]: name };
    change.mutate({ kind: "stock", id: row.id, changes: { names } });
  };
  return (
    <div className="border-b border-rule py-2">
      <div className="mb-1 flex items-center justify-between gap-2">
        <span>{printer.name}</span>
        <Button narrow onClick={() => asked.mutate()} disabled={asked.isPending}>
          {asked.isPending ? "Asking" : "What lies on it?"}
        </Button>
      </div>
      <TextField label={`What ${printer.name} calls it`} value={row.names[String(printer.id)] ?? ""} longest={120} onChange={set} />
      {asked.error && <p className="mt-1 text-stop">{asked.error.message}</p>}
      {asked.data && (
        <div className="mt-1.5 flex flex-wrap gap-1.5" role="group" aria-label={`On ${printer.name} now`}>
          {asked.data.loaded.length === 0 && <span className="text-slate">It does not say.</span>}
          {asked.data.loaded.map((one) => (
            <Button key={one.name} narrow onClick={() => set(one.name)}>
              {one.name}
            </Button>
          ))}
        </div>
      )}
      <p className="mt-1 text-[12px] text-slate">Empty: it is compared by the names of the stock and the roll.</p>
    </div>
  );
}
