import { useState } from "react";
import type { Job, useJob } from "../api/useJob";
import { Action, Button, buttonLook } from "../ui/Button";
import { Note } from "../ui/Card";
import { day } from "../ui/moments";
import { Fold } from "../ui/Row";
import { Working } from "../ui/Working";
import { wordLook } from "../ui/look";

type Held = ReturnType<typeof useJob>;
type Proof = Job["proofs"][number];

/** A proof for the customer, what the customer said to it, and whether that still holds. */
export function CustomersYes({ job, held }: { job: Job; held: Held }) {
  const [newest, ...older] = job.proofs;
  const { prove, proving } = held;
  if (job.parts.length === 0 || (job.cleared_at && !newest)) return null;
  return (
    <Fold name="job proofs" title="The customer's yes" closed={!newest}>
      {newest && <Newest proof={newest} job={job} held={held} />}
      {proving.progress ? (
        <Working progress={proving.progress} cancel={proving.cancel} />
      ) : (
        !job.cleared_at &&
        (!newest || !newest.still_so || newest.answer === "no") && (
          <Action onClick={prove}>{newest ? "Make a new proof" : "Make a proof"}</Action>
        )
      )}
      {!newest && <p className="mt-1.5 text-[12px] text-slate">A PDF with each design at its size, its lines, count, colours and bleed.</p>}
      {older.map((one) => (
        <div key={one.number} className="flex min-h-[36px] items-center justify-between gap-2 border-b border-rule text-slate">
          <span className="truncate">
            Proof {one.number}: {one.answer ? `${one.answer}${one.answered_by ? `, ${one.answered_by}` : ""}` : "not answered"}
          </span>
          <a href={pdfOf(job, one)} target="_blank" rel="noreferrer" className={wordLook}>
            PDF
          </a>
        </div>
      ))}
    </Fold>
  );
}

const pdfOf = (job: Job, proof: Proof) => `/api/jobs/${job.id}/proofs/${proof.number}`;

function Newest({ proof, job, held }: { proof: Proof; job: Job; held: Held }) {
  const [by, setBy] = useState(proof.answered_by);
  const [note, setNote] = useState("");
  const say = (says: "yes" | "no") => held.answer.mutate({ number: proof.number, says, by, note });
  return (
    <div className="mb-2">
      <div className="flex min-h-[36px] items-center justify-between gap-2">
        <span>
          <b className="font-semibold">Proof {proof.number}</b> <span className="text-slate">of {day(proof.at)}</span>
        </span>
        <a href={pdfOf(job, proof)} target="_blank" rel="noreferrer" className={`${buttonLook} h-9 px-2.5`}>
          PDF
        </a>
      </div>
      {proof.answer === "yes" && (
        <p className="font-semibold text-go">
          Yes{proof.answered_by && `, ${proof.answered_by}`}
          {proof.answered_at && <span className="font-normal text-slate"> · {day(proof.answered_at)}</span>}
        </p>
      )}
      {proof.answer === "no" && (
        <p className="font-semibold text-stop">
          No{proof.answered_by && `, ${proof.answered_by}`}
          {proof.note && <span className="font-normal text-ink">: {proof.note}</span>}
        </p>
      )}
      {!proof.still_so && <Note>The job was changed since. Make a new proof and ask again.</Note>}
      {proof.answer === "" && proof.still_so && (
        <div className="mt-1 flex flex-col gap-1.5">
          <Words label="Who answered" value={by} set={setBy} />
          <Words label="What is to change, if no" value={note} set={setNote} />
          <div className="flex gap-1.5">
            <div className="flex-1">
              <Action disabled={held.answer.isPending} onClick={() => say("yes")}>
                They said yes
              </Action>
            </div>
            <Button onClick={() => say("no")}>No</Button>
          </div>
        </div>
      )}
    </div>
  );
}

function Words({ label, value, set }: { label: string; value: string; set: (words: string) => void }) {
  return (
    <input
      aria-label={label}
      placeholder={label}
      value={value}
      maxLength={120}
      onChange={(event) => set(event.target.value)}
      className="h-9 rounded-[5px] border border-rule bg-white px-2.5"
    />
  );
}
