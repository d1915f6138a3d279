import { Button, TextButton } from "../ui/Button";
import { NumberField } from "../ui/Field";

type Props = { label: string; one: string; why: string; value: number[]; save: (value: number[]) => void };

/** Places across the stock, in their order: each can be set or taken away, and one more added behind the last. */
export function Places({ label, one, why, value, save }: Props) {
  const set = (index: number, to: number) => save(value.map((place, at) => (at === index ? to : place)).sort((a, b) => a - b));
  return (
    <div className="border-b border-rule py-2" role="group" aria-label={label}>
      <div className="mb-1">{label}</div>
      {value.map((place, index) => (
        <div key={`${index} of ${value.length}`} className="mb-1.5 flex items-center gap-2">
          <div className="min-w-0 flex-1">
            <NumberField label={`${one} ${index + 1}`} why={why} value={place} least={0} step={5} onChange={(to) => set(index, to)} />
          </div>
          <Button narrow onClick={() => save(value.filter((_, at) => at !== index))}>
            Take away
          </Button>
        </div>
      ))}
      <TextButton onClick={() => save([...value, (value.at(-1) ?? 0) + 200])}>Add a {one.toLowerCase()}</TextButton>
      <p className="mt-1 text-[12px] text-slate">{why}</p>
    </div>
  );
}
