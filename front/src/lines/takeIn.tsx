import { api, type Schemas, told } from "../api/client";
import { designsQuery, keys } from "../api/keys";
import { linesAreBegun } from "../api/useDesign";
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { type DragEvent, useRef, useState } from "react";
import { useNavigate } from "react-router";
import { toast } from "sonner";

/** Art dropped anywhere on the station, or chosen with the button; `job`: what it becomes a part of. */
export function useTakeIn(replacing?: number, job?: number) {
  const navigate = useNavigate();
  const queries = useQueryClient();
  const [over, setOver] = useState(false);
  const [share, setShare] = useState<number | null>(null);
  const [sent, setSent] = useState({ key: "", replaces: false });
  const pages = useReached(share === 1 ? sent.key : null);
  /** Files that were dropped together, or one that takes the place of a design's art or of one of its plates. */
  const send = (files: File | FileList, replace?: "art" | "white" | "clear") => {
    const form = new FormData();
    for (const file of files instanceof File ? [files] : files) form.append("file", file);
    const key = `${Date.now()}-${Math.floor(Math.random() * 1e9)}`;
    form.append("key", key);
    form.append("find", "true");
    if (job !== undefined) form.append("job_id", String(job));
    setSent({ key, replaces: replace === "art" });
    const request = new XMLHttpRequest();
    request.upload.onprogress = (event) => setShare(event.lengthComputable ? event.loaded / event.total : 0);
    request.onload = () => {
      setShare(null);
      const body = JSON.parse(request.responseText) as Partial<Schemas["DesignsMade"]> & { title?: string; do?: string };
      if (request.status !== 200) {
        toast.error(body.title ?? "The file was not taken in.", { description: body.do });
        return;
      }
      if (replace) void queries.invalidateQueries({ queryKey: keys.design(replacing ?? 0) });
      const first = body.ids?.[0];
      if (body.ids && body.ids.length > 1) toast(`${body.ids.length} designs were taken in.`);
      if (first !== undefined && body.finding) linesAreBegun(first, body.finding);
      void queries.invalidateQueries({ queryKey: designsQuery.queryKey });
      if (first !== undefined) void navigate(`/lines/${first}`);
    };
    request.onerror = () => {
      setShare(null);
      toast.error("Etiquette is not answering. Check that it is running, then drop the file again.");
    };
    const place = replace === "art" ? "art" : `art/${replace}`;
    request.open(replace ? "PUT" : "POST", replace ? `/api/designs/${replacing}/${place}` : "/api/designs");
    setShare(0);
    request.send(form);
  };
  const target = {
    onDragOver: (event: DragEvent) => {
      event.preventDefault();
      setOver(true);
    },
    onDragLeave: () => setOver(false),
    onDrop: (event: DragEvent) => {
      event.preventDefault();
      setOver(false);
      if (event.dataTransfer.files.length) send(event.dataTransfer.files);
    },
  };
  return { over, taking: share === null ? null : { share, pages, replaces: sent.replaces }, send, target };
}

/** How much of the files is with the server, while it reads them how many pages it has read, and whether they replace art. */
export type Taking = { share: number; pages: Reached | null; replaces: boolean };
type Reached = Schemas["Reached"];

/** How far the reading of what is taken in under `key` has come; asked for again and again, because a long document takes a minute. */
function useReached(key: string | null): Reached | null {
  const asked = useQuery({
    queryKey: ["taking", key],
    queryFn: () => told(api.GET("/api/designs/taking/{key}", { params: { path: { key: key ?? "" } } })),
    enabled: key !== null,
    refetchInterval: 700,
    gcTime: 0,
  });
  return key === null ? null : (asked.data ?? null);
}

const words = ({ share, pages }: Taking) =>
  share < 1
    ? `Sending ${Math.round(share * 100)} %`
    : pages && pages.pages > 1
      ? `Page ${Math.min(pages.page + 1, pages.pages)} of ${pages.pages}`
      : "Reading the art";

export const READS = ".png,.jpg,.jpeg,.tif,.tiff,.pdf,.eps,.ps,.svg,.dxf";

export function TakeInButton({
  send,
  taking,
  invites = "Take in art",
  label = "Art file",
  replaces = false,
}: {
  send: (files: FileList) => void;
  taking: Taking | null;
  invites?: string;
  label?: string;
  /** It takes one file, in the place of the art that is there. */
  replaces?: boolean;
}) {
  const field = useRef<HTMLInputElement>(null);
  return (
    <>
      <input
        ref={field}
        type="file"
        multiple={!replaces}
        accept={READS}
        aria-label={label}
        className="hidden"
        onChange={(event) => event.target.files?.length && send(event.target.files)}
      />
      <button
        type="button"
        onClick={() => field.current?.click()}
        disabled={taking !== null}
        className="h-9 whitespace-nowrap rounded-[6px] border border-rule bg-white px-3.5 font-semibold hover:border-slate"
      >
        {taking?.replaces === replaces ? words(taking) : invites}
      </button>
    </>
  );
}

export function TakeIn() {
  const { over, taking, send, target } = useTakeIn();
  return (
    <main className="flex flex-1 items-center justify-center" {...target}>
      <div className={`rounded-[8px] border bg-paper p-10 text-center ${over ? "border-pine" : "border-rule"}`}>
        <h1 className="mb-2">Drop art here</h1>
        <p className="mb-4 text-slate">
          PDF, EPS, SVG, DXF, PNG, JPEG, TIFF. Etiquette finds where the knife should go. Colour, white and clear as files of their own are
          paired by name: jar.pdf with jar-clear.pdf.
        </p>
        <TakeInButton send={send} taking={taking} />
      </div>
    </main>
  );
}
