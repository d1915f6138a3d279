import { api, told } from "../api/client";
import { useChange, useHeld } from "../api/held";
import { type Job, jobQuery } from "../api/useJob";
import { Button, FileLink } from "../ui/Button";
import { Fold } from "../ui/Row";
import { figure } from "../ui/units";

/** Files that belong to the job and are only kept: an order, a letter, a photograph of the place. */
export function JobFiles({ job }: { job: Job }) {
  const held = useHeld<Job>(jobQuery(job.id) as never, []);
  const keep = useChange<Job, File>(held, (file) => {
    const body = new FormData();
    body.append("file", file);
    const path = { params: { path: { job_id: job.id } } };
    return told(api.POST("/api/jobs/{job_id}/files", { ...path, body: body as never, bodySerializer: () => body }));
  });
  const takeAway = useChange<Job, number>(held, (file_id) =>
    told(api.DELETE("/api/jobs/{job_id}/files/{file_id}", { params: { path: { job_id: job.id, file_id } } })),
  );
  return (
    <Fold name="job files" title={job.files.length > 0 ? `Files kept with it: ${job.files.length}` : "Files kept with it"} closed>
      {job.files.map((one) => (
        <div key={one.id} className="flex min-h-[44px] items-center gap-2 border-b border-rule">
          <a
            href={`/api/jobs/${job.id}/files/${one.id}`}
            download={one.name}
            title={one.name}
            className="min-w-0 flex-1 truncate font-semibold text-pine hover:underline"
          >
            {one.name}
          </a>
          <span className="shrink-0 text-[12px] text-slate">{size(one.size)}</span>
          <Button narrow aria-label={`Take ${one.name} away`} disabled={takeAway.isPending} onClick={() => takeAway.mutate(one.id)}>
            Take away
          </Button>
        </div>
      ))}
      <div className="mt-2">
        <FileLink accept="" label="File to keep" take={(file) => keep.mutate(file)}>
          {keep.isPending ? "Keeping it" : "Keep a file with this job"}
        </FileLink>
      </div>
      {job.files.length === 0 && (
        <p className="mt-1 text-[12px] text-slate">
          An order, a letter, a photograph of the place. Art goes to the designs: drop it on the page.
        </p>
      )}
    </Fold>
  );
}

const size = (bytes: number) =>
  bytes < 1e6 ? `${figure(Math.max(bytes / 1e3, 0.1), bytes < 1e4 ? 1 : 0)} kB` : `${figure(bytes / 1e6, 1)} MB`;
