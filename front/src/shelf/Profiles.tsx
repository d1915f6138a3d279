import { useMutation, useQueryClient } from "@tanstack/react-query";
import { toast } from "sonner";
import { api, told } from "../api/client";
import { sayProblem } from "../api/held";
import { shelfQuery } from "../api/keys";
import { useShelf } from "../api/useShelf";
import { FileLink, linkLook } from "../ui/Button";
import { Row, Section } from "../ui/Row";
import { figure } from "../ui/units";
import { type Entry, valueOf } from "./fields";
import { stockWhite } from "./ThingPicture";

/** An ICC file is taken in: a new profile, or the newer file of one (`instead`). */
export function ProfileIn({ words, instead, taken }: { words: string; instead?: number; taken: (id: number) => void }) {
  const queries = useQueryClient();
  const take = useMutation({
    mutationFn: async (given: File) => {
      const body = new FormData();
      body.append("file", given);
      if (instead !== undefined) body.append("instead_of", String(instead));
      return told(api.POST("/api/shelf/profiles", { body: body as never, bodySerializer: (one) => one as never }));
    },
    onSuccess: ({ id, shelf }) => {
      queries.setQueryData(shelfQuery.queryKey, shelf);
      toast.success(`${shelf.colour_profile.find((one) => one.id === id)?.name ?? "The profile"} is on the Shelf.`);
      taken(id);
    },
    onError: sayProblem,
  });
  return (
    <FileLink accept=".icc,.icm" take={(given) => take.mutate(given)} disabled={take.isPending}>
      {words}
    </FileLink>
  );
}

/** What a profile says of itself, and the modes that print by it. */
export function ProfileFacts({ profile }: { profile: Entry }) {
  const { shelf } = useShelf();
  const modes = shelf?.print_mode.filter((mode) => mode.colour_profile_id === profile.id) ?? [];
  const [l, a, b] = ["white_l", "white_a", "white_b"].map((name) => figure(Number(valueOf(profile, name)), 1));
  const limit = valueOf(profile, "ink_limit");
  return (
    <>
      <Section title="What it says">
        <Row label="Calls itself">{valueOf(profile, "description") || "nothing"}</Row>
        <Row label="Print files in">{valueOf(profile, "space") === "GRAY" ? "grey" : valueOf(profile, "space")}</Row>
        <Row label="Bare stock">
          <span className="inline-flex items-center gap-2">
            <i className="h-5 w-8 rounded-[3px] border border-rule" style={{ background: stockWhite(profile) }} />L {l} a {a} b {b}
          </span>
        </Row>
        <Row label="Ink at most">{limit ? `${figure(Number(limit), 0)} %` : "not said"}</Row>
        <p className="mt-1.5 text-[12px] text-slate">
          The limit is the most ink that it gives for any colour, all inks added up. The white is that of the stock that was measured.
        </p>
      </Section>
      <Section title="Used by">
        {modes.length === 0 && <p className="text-slate">No print mode yet: choose it in a mode of its stock.</p>}
        {modes.map(({ id, name }) => (
          <p key={id} className="border-b border-rule py-2">
            {name}
          </p>
        ))}
      </Section>
      <div className="mt-3 flex gap-4">
        <ProfileIn words="Take a newer file" instead={profile.id} taken={() => undefined} />
        <a href={`/api/shelf/profiles/${profile.id}/file`} download className={linkLook}>
          Save the file
        </a>
      </div>
    </>
  );
}
