import { useShelf } from "../api/useShelf";
import { TextButton } from "../ui/Button";
import { ChoiceRow } from "../ui/Choice";
import { AS_THEY_CAME, ColourRows } from "../ui/ColourRows";
import { isCorrected } from "./seen";
import { ReplacedColours } from "./ReplacedColours";
import type { Station } from "./useStation";

/** How the colours of a design are corrected in print, and how that looks on a stock; the art stays as it came. */
export function ColourSettings({ station }: { station: Station }) {
  const { design, change, setView } = station;
  const corrected = isCorrected(design);
  return (
    <>
      <ColourRows
        wishes={design.document}
        change={(words, changes) => {
          setView("print");
          change(words, changes);
        }}
      />
      <ReplacedColours station={station} />
      {corrected && (
        <TextButton onClick={() => change("colours as they came", { replaced: [], ...AS_THEY_CAME })}>All colours as they came</TextButton>
      )}
      <SeenOn station={station} />
      {corrected && (
        <p className="mt-1.5 text-[12px] text-slate">Art shows it as it came, Print as it is corrected: V goes from one to the other.</p>
      )}
    </>
  );
}

/** The stock and mode that the print is seen as on. */
function SeenOn({ station: { proof, setProof, setView } }: { station: Station }) {
  const { shelf } = useShelf();
  const modes = (shelf?.print_mode ?? []).filter((mode) => mode.colour_profile_id !== null && !mode.away);
  if (modes.length === 0) return null;
  const seen = (next: typeof proof) => {
    setView("print");
    setProof(next);
  };
  return (
    <>
      <ChoiceRow
        label="Seen as on"
        value={String(proof?.mode ?? "")}
        choices={[["", "the screen"], ...modes.map(({ id, name }): [string, string] => [String(id), name])]}
        why="The stock's own white, and the colours that its inks give, by the profile of the print mode."
        onChange={(value) => {
          const mode = modes.find(({ id }) => String(id) === value);
          const profile = shelf?.colour_profile.find(({ id }) => id === mode?.colour_profile_id);
          seen(mode ? { mode: mode.id, of: `${mode.version}.${profile?.version}`, reach: proof?.reach ?? false } : null);
        }}
      />
      {proof && (
        <ChoiceRow
          label="Out of reach"
          value={proof.reach ? "striped" : "plain"}
          choices={[
            ["plain", "shown as it comes out"],
            ["striped", "striped"],
          ]}
          why="Striped where the inks do not come near the colour of the art."
          onChange={(value) => seen({ ...proof, reach: value === "striped" })}
        />
      )}
    </>
  );
}
