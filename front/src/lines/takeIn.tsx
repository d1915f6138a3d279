import { api, type Schemas, told } from "../api/client";
import { designsQuery, floorQuery, keys } from "../api/keys";
import { linesAreBegun } from "../api/useDesign";
import { jobQuery } from "../api/useJob";
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { type DragEvent, useEffect, useRef, useState } from "react";
import { useNavigate } from "react-router";
import { toast } from "sonner";
import { buttonLook } from "../ui/Button";
import { useLooksOnly } from "../ui/looksOnly";
import { filesOf, folderOf, type Named, named, pasted } from "./dropped";
import { MOST_AT_ONCE, takeInMany } from "./takingMany";
import { NO_ANSWER, upload } from "./upload";

/** Art dropped anywhere on the station, or chosen with the button; `job`: what it becomes a part of. */
export function useTakeIn(replacing?: number, job?: number) {
  const queries = useQueryClient();
  const [over, setOver] = useState(false);
  const [share, setShare] = useState<number | null>(null);
  const [sent, setSent] = useState({ key: "", replaces: false });
  const pages = useReached(share === 1 ? sent.key : null);
  const many = useMany(job);
  const navigate = useNavigate();
  /** Files that were dropped together, or one that takes the place of a design's art or of one of its plates. */
  const send = async (files: File | FileList | Named[], replace?: "art" | "white" | "clear") => {
    const all = files instanceof File ? named([files]) : files instanceof FileList ? named(files) : files;
    const only = all[0];
    if (!only) return;
    if (all.length > 1 && !replace) return many(all);
    const file = await only.take().catch(() => null);
    if (!file) return void toast.error("The browser could not read the file.", { description: "Drop it again." });
    const form = new FormData();
    form.append("file", file);
    const key = `${Date.now()}-${Math.floor(Math.random() * 1e9)}`;
    form.append("key", key);
    form.append("find", "true");
    if (job !== undefined) form.append("job_id", String(job));
    setSent({ key, replaces: replace === "art" });
    setShare(0);
    const place = replace === "art" ? "art" : `art/${replace}`;
    const { status, body } = await (replace
      ? upload("PUT", `/api/designs/${replacing}/${place}`, form, { share: setShare })
      : upload("POST", "/api/designs", form, { share: setShare }));
    setShare(null);
    if (status === 0) toast.error(`${NO_ANSWER} Check that it is running, then drop the file again.`);
    else if (status !== 200) toast.error(body.title ?? "The file was not taken in.", { description: body.do });
    if (status !== 200) return;
    if (replace) void queries.invalidateQueries({ queryKey: keys.design(replacing ?? 0) });
    const [first, more] = body.ids ?? [];
    if (more !== undefined) toast(`${body.ids?.length} designs were taken in.`);
    if (first !== undefined && body.finding) linesAreBegun(first, body.finding);
    void queries.invalidateQueries({ queryKey: designsQuery.queryKey });
    if (first !== undefined) void navigate(`/lines/${first}`);
  };
  const target = {
    onDragOver: (event: DragEvent) => {
      event.preventDefault();
      setOver(true);
    },
    // what is inside is left and entered as the pointer moves: only who leaves the whole has left
    onDragLeave: (event: DragEvent) => event.currentTarget.contains(event.relatedTarget as Node | null) || setOver(false),
    onDrop: (event: DragEvent) => {
      event.preventDefault();
      setOver(false);
      void filesOf(event.dataTransfer).then(
        (files) => (files.length > 0 ? send(files) : void toast.error("There was no file in what was dropped.")),
        () => toast.error("The browser could not read what was dropped.", { description: "Open the folder and drop what is in it." }),
      );
    },
  };
  return { over, taking: share === null ? null : { share, pages, replaces: sent.replaces }, send, target };
}

/** Art that was copied elsewhere is taken in by Ctrl V, but not while somebody types. */
export function usePasted(send: (files: Named[]) => unknown) {
  const current = useRef(send);
  useEffect(() => {
    current.current = send;
  });
  useEffect(() => {
    const take = (event: ClipboardEvent) => {
      if (event.target instanceof Element && event.target.closest("input, textarea, [contenteditable]")) return;
      const files = event.clipboardData ? pasted(event.clipboardData) : [];
      if (files.length > 0) current.current(files);
    };
    window.addEventListener("paste", take);
    return () => window.removeEventListener("paste", take);
  }, []);
}

/** Takes in many files beside the work; the first design is opened while whoever dropped them is still here. */
function useMany(job?: number) {
  const navigate = useNavigate();
  const queries = useQueryClient();
  const here = useRef(true);
  useEffect(() => {
    here.current = true;
    return () => void (here.current = false);
  }, []);
  return (files: Named[]) => {
    if (files.length > MOST_AT_ONCE) {
      const description = "Drop them in parts, or put them into a watched folder (Shelf): it takes any number.";
      toast.error(`${files.length} files were dropped at once; the most is ${MOST_AT_ONCE}.`, { description });
      return;
    }
    takeInMany({
      files,
      job,
      jobName: folderOf(files),
      first: (id, finding) => {
        if (finding) linesAreBegun(id, finding);
        if (here.current) void navigate(`/lines/${id}`);
      },
      more: (of) => {
        for (const queryKey of [designsQuery.queryKey, floorQuery.queryKey, jobQuery(of).queryKey, ["next to check"]])
          void queries.invalidateQueries({ queryKey });
      },
    });
  };
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

export const READS = ".png,.jpg,.jpeg,.tif,.tiff,.webp,.avif,.gif,.bmp,.pdf,.eps,.ps,.svg,.svgz,.dxf";

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
  const looksOnly = useLooksOnly();
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
        disabled={taking !== null || looksOnly}
        className={`${buttonLook} h-9 px-3.5 whitespace-nowrap`}
      >
        {taking?.replaces === replaces ? words(taking) : invites}
      </button>
    </>
  );
}

export function TakeIn() {
  const { over, taking, send, target } = useTakeIn();
  usePasted(send);
  return (
    <main className="flex flex-1 items-center justify-center" {...target}>
      <div className={`rounded-[8px] border bg-paper p-10 text-center ${over ? "border-pine" : "border-rule"}`}>
        <h1 className="mb-2">Drop art here</h1>
        <p className="mb-4 text-slate">
          PDF, EPS, SVG, DXF, PNG, JPEG, TIFF, WebP, AVIF, GIF, BMP. Etiquette finds where the knife should go. Colour, white and clear as
          files of their own are paired by name: jar.pdf with jar-clear.pdf.
        </p>
        <TakeInButton send={send} taking={taking} />
      </div>
    </main>
  );
}
