import { useShelf } from "../api/useShelf";
import { TextButton } from "../ui/Button";
import { ChoiceRow } from "../ui/Choice";
import { NumberField, TextField } from "../ui/Field";
import { Section } from "../ui/Row";
import { type Entry, type Field, type Kind, type Value, valueOf } from "./fields";

/** All that can be set of one thing of the Shelf. */
export function ThingSettings({ kind, fields, entry }: { kind: Kind; fields: Field[]; entry: Entry }) {
  const { change, removeColour } = useShelf();
  const save = (changes: Record<string, Value>) => change.mutate({ kind, id: entry.id, version: entry.version, changes });
  const note = valueOf(entry, "cannot_show");
  return (
    <>
      {kind === "ink_colour" || kind === "mark_set" ? (
        <TextField
          large
          label={kind === "ink_colour" ? "Name of the colour" : "Name of the mark set"}
          value={entry.name}
          longest={60}
          onChange={(name) => name.trim() && save({ name: name.trim() })}
        />
      ) : (
        <h1>{entry.name}</h1>
      )}
      <Section title="Settings">
        {fields.map((field) => (
          <Setting key={field.name} field={field} value={valueOf(entry, field.name)} save={(value) => save({ [field.name]: value })} />
        ))}
        {note && (
          <p className="py-2 text-check-text" role="note">
            {note}
          </p>
        )}
      </Section>
      {kind === "ink_colour" && <TextButton onClick={() => removeColour.mutate(entry.id)}>Take this colour off the Shelf</TextButton>}
    </>
  );
}

function Setting({ field, value, save }: { field: Field; value: Value; save: (value: Value) => void }) {
  if (field.kind === "choice") {
    return <ChoiceRow label={field.label} why={field.why} value={String(value)} choices={field.choices} onChange={save} />;
  }
  if (field.kind === "yes") {
    const choices: ["true" | "false", string][] = [
      ["true", "yes"],
      ["false", "no"],
    ];
    const now = value === true ? "true" : "false";
    return <ChoiceRow label={field.label} why={field.why} value={now} choices={choices} onChange={(next) => save(next === "true")} />;
  }
  return (
    <div className="border-b border-rule py-2">
      <div className="mb-1">{field.label}</div>
      {field.kind === "words" ? (
        <TextField label={field.label} value={String(value)} onChange={save} />
      ) : (
        <NumberField
          label={field.label}
          why={field.why}
          kind={field.kind}
          suffix={field.suffix}
          decimals={field.decimals ?? 1}
          value={Number(value)}
          onChange={(next) => save(field.money ? String(next) : next)}
        />
      )}
      <p className="mt-1 text-[12px] text-slate">{field.why}</p>
    </div>
  );
}
