import { keys } from "../api/keys";
import { useMutation, useQuery } from "@tanstack/react-query";
import { api, type Schemas, shown, told } from "../api/client";
import { sayProblem } from "../api/held";
import { when } from "../ui/moments";
import { Button, WordButton } from "../ui/Button";

type Design = Schemas["DesignShown"];

/** Every state the design had; going back to one is an edit like any other. */
export function Versions({ design, keep, close }: { design: Design; keep: (fresh: Design) => void; close: () => void }) {
  const path = { params: { path: { design_id: design.id } } };
  const { data: versions } = useQuery({
    queryKey: keys.versions(design.id, design.revision),
    queryFn: () => told(api.GET("/api/designs/{design_id}/versions", path)),
  });
  const back = useMutation({
    mutationFn: (version: number) =>
      shown<"DesignShown">(api.POST("/api/designs/{design_id}/versions", { ...path, body: { revision: design.revision, version } })),
    onSuccess: keep,
    onError: sayProblem,
  });
  return (
    <>
      <div className="flex items-start justify-between">
        <h2>Earlier versions</h2>
        <WordButton looks onClick={close}>
          Back to the readings
        </WordButton>
      </div>
      <ol className="mt-2">
        {versions?.map((version, index) => (
          <li key={version.id} className="flex min-h-[44px] items-center justify-between gap-3 border-b border-rule">
            <span className="min-w-0">
              <span className="block truncate">{version.words}</span>
              <span className="text-[12px] text-slate">{when(`${version.at}Z`)}</span>
            </span>
            {index === 0 ? (
              <span className="text-slate">now</span>
            ) : (
              <Button aria-label={`Return to ${version.words}`} onClick={() => back.mutate(version.id)}>
                Return
              </Button>
            )}
          </li>
        ))}
      </ol>
    </>
  );
}
