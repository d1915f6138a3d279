import { useMutation } from "@tanstack/react-query";
import { api, told } from "../api/client";
import { sayProblem } from "../api/held";
import { FileLink } from "../ui/Button";

const ROWS_NAMED = 12;

/** Codes of rows in a photo or scan of the sheet: which are seen, which are not. */
export function CodesSeen({ id }: { id: number }) {
  const look = useMutation({
    mutationFn: (file: File) => {
      const body = new FormData();
      body.append("file", file);
      const path = { params: { path: { sheet_id: id } } };
      return told(api.PUT("/api/bench/sheets/{sheet_id}/codes", { ...path, body: body as never, bodySerializer: () => body }));
    },
    onError: sayProblem,
  });
  const seen = look.data;
  return (
    <div className="border-b border-rule py-1.5">
      <FileLink accept=".png,.jpg,.jpeg,.tif,.tiff" take={(file) => look.mutate(file)} disabled={look.isPending}>
        {look.isPending ? "Reading its codes" : "Read its codes from a photo or scan"}
      </FileLink>
      {seen && (
        <p role="status" className={seen.missing.length + seen.strange.length ? "text-check-text" : "font-semibold text-go"}>
          {seen.seen} of {seen.asked} codes say what they should.
          {seen.missing.length > 0 &&
            ` Not seen: ${seen.missing.length === 1 ? "row" : "rows"} ${seen.missing.slice(0, ROWS_NAMED).join(", ")}`}
          {seen.missing.length > ROWS_NAMED && " …"}
          {seen.strange.length > 0 && ` Of no row of this sheet: ${seen.strange.slice(0, 3).join(", ")}`}
        </p>
      )}
    </div>
  );
}
