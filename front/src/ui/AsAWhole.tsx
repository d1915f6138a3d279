import { useState } from "react";
import { useNavigate } from "react-router";
import { type Kind, useWhole } from "../api/useWhole";
import { Action, TextButton } from "./Button";
import { Note } from "./Card";
import { TextField } from "./Field";
import { Fold, Labelled } from "./Row";

type Props = { kind: Kind; id: number; name: string; againWords: string; rename?: (name: string) => void };

const PLACE = { job: "/floor/job/", design: "/lines/", run: "/run/" } as const;
/** Where one is when it is gone. */
const AFTER = { job: "/floor/jobs", design: "/lines", run: "/run" } as const;

/** Its name, once more, put away, deleted: the last one cannot be undone and is asked once more. */
export function AsAWhole({ kind, id, name, againWords, rename }: Props) {
  const navigate = useNavigate();
  const { whole, again, putAway, remove, ask, forget } = useWhole(kind, id);
  const [asked, setAsked] = useState(false);
  const away = whole?.away ?? false;
  const gone = () => {
    void navigate(AFTER[kind]);
    forget();
  };
  return (
    <Fold name={`${kind} as a whole`} title={`This ${kind} as a whole`} closed={!away}>
      {away && <Note>It is put away: no list shows it, and it is found by its name.</Note>}
      {rename && (
        <Labelled words="Name">
          <TextField label="Name" value={name} longest={120} onChange={(value) => value.trim() && rename(value.trim())} />
        </Labelled>
      )}
      <TextButton
        disabled={again.isPending}
        onClick={() => again.mutate(undefined, { onSuccess: (made) => void navigate(`${PLACE[kind]}${made.id}`) })}
      >
        {againWords}
      </TextButton>
      <TextButton disabled={putAway.isPending} onClick={() => putAway.mutate(!away)}>
        {away ? `Take this ${kind} out again` : `Put this ${kind} away`}
      </TextButton>
      {kind === "job" && (
        <a href={`/api/jobs/${id}/file`} className="flex min-h-9 items-center font-semibold text-pine hover:underline">
          Save this job as a file
        </a>
      )}
      {asked && whole ? (
        <div
          role="alertdialog"
          aria-label={`Delete ${name}`}
          ref={(asking) => asking?.scrollIntoView({ block: "nearest" })}
          className="scroll-mb-4 rounded-[6px] border-2 border-stop bg-white p-3"
        >
          <p className="mb-2">
            {whole.held ? `${whole.held} It cannot be deleted; put away, it is out of the way.` : `${whole.words} This cannot be undone.`}
          </p>
          <div className="flex gap-2">
            {!whole.held && (
              <Action disabled={remove.isPending} onClick={() => remove.mutate(undefined, { onSuccess: gone })}>
                Delete it
              </Action>
            )}
            <Action onClick={() => setAsked(false)}>Keep it</Action>
          </div>
        </div>
      ) : (
        <TextButton onClick={() => void ask().then(() => setAsked(true))}>Delete this {kind}</TextButton>
      )}
    </Fold>
  );
}
