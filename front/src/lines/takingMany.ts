import { create } from "zustand";
import { api, Problem, type Schemas, told } from "../api/client";
import type { Named } from "./dropped";
import { type Answered, NO_ANSWER, upload } from "./upload";

/** Many files that were dropped together are taken in one after another, beside whatever else is done on any page: one
 * that cannot be read stops no other, and what is in stays in. */
export type Refused = { path: string; why: string };

type Taking = {
  /** Files that were dropped since nothing was under way. */
  all: number;
  answered: number;
  designs: number;
  /** The job of what came in last. */
  job: number | null;
  /** What is being sent. */
  now: string;
  refused: Refused[];
  /** What was not sent, since it was stopped. */
  unsent: string[];
  /** Why nothing goes on until somebody says so. */
  held: string | null;
  going: boolean;
};

/** One drop; its files by the sets in which they are sent. */
type Drop = {
  files: Named[];
  sets: Named[][] | null;
  job?: number;
  jobName?: string;
  /** Told of the first designs, and the task that finds their lines. */
  first?: (id: number, finding: number | null) => void;
  /** Told that there are more designs in a job. */
  more: (job: number) => void;
};

const NOTHING: Taking = { all: 0, answered: 0, designs: 0, job: null, now: "", refused: [], unsent: [], held: null, going: false };
/** Half of a character: file names may hold one, and what is sent may not. */
const LONE_HALF = /\p{Surrogate}/gu;
const MOST_BYTES = 400 * 2 ** 20;
const TOO_LARGE = "It is larger than 400 MB. Make it smaller: 300 pixels an inch at the printed size is plenty.";
export const MOST_AT_ONCE = 20_000;
/** Answers that would be the same for every file: of who asks, of a disk that is full, of a server that is away. */
const ends = (status: number) => status === 0 || status === 401 || status === 403 || status === 429 || status >= 500;

export const useManyFiles = create<Taking>(() => NOTHING);
const drops: Drop[] = [];
let sending = new AbortController();

export function takeInMany(drop: Omit<Drop, "sets">) {
  drops.push({ ...drop, sets: null });
  const { going, all } = useManyFiles.getState();
  useManyFiles.setState(going ? { all: all + drop.files.length } : { ...NOTHING, all: drop.files.length, going: true });
  if (!going) void work();
}

export function goOn() {
  useManyFiles.setState({ held: null });
  void work();
}

/** What is being sent is left out. */
export function skip() {
  const set = drops[0]?.sets?.shift();
  if (set) refuse(set, "It was left out.");
  goOn();
}

/** Nothing more is sent; what was answered stays in. */
export function stop() {
  const unsent = drops.flatMap((drop) => drop.sets?.flat() ?? drop.files).map(({ path }) => path);
  drops.length = 0;
  sending.abort();
  useManyFiles.setState({ unsent, going: false, held: null, now: "" });
}

export const close = () => useManyFiles.setState(NOTHING);

function refuse(files: Named[], why: string) {
  const { refused, answered } = useManyFiles.getState();
  const more = files.map(({ path }) => ({ path, why }));
  useManyFiles.setState({ refused: [...refused, ...more], answered: answered + files.length });
}

async function work() {
  for (let drop = drops[0]; drop; drop = drops[0]) {
    const held = await nextOf(drop);
    if (drops[0] !== drop) return; // it was stopped meanwhile
    if (held) {
      useManyFiles.setState({ held });
      return;
    }
    if (drop.sets?.length === 0) drops.shift();
  }
  useManyFiles.setState({ going: false, now: "" });
}

/** One step of a drop; returns why it cannot go on. */
async function nextOf(drop: Drop): Promise<string | null> {
  if (drop.sets === null) {
    try {
      drop.sets = await setsOf(drop.files);
      // a white that two colours share is sent with both
      const twice = drop.sets.flat().length - drop.files.length;
      useManyFiles.setState(({ all }) => ({ all: all + twice }));
    } catch (problem) {
      return (problem as Problem).message;
    }
    return null;
  }
  const set = drop.sets[0];
  if (!set) return null;
  useManyFiles.setState({ now: set[0]?.path ?? "" });
  const files = await taken(set);
  const answer = typeof files === "string" ? null : await sent(drop, files);
  if (drops[0] !== drop) return null;
  if (answer && ends(answer.status)) return heldBy(answer);
  drop.sets.shift();
  if (answer?.status === 200) isIn(drop, set, answer.body);
  else refuse(set, typeof files === "string" ? files : `${answer?.body.title ?? "It was not taken in."} ${answer?.body.do ?? ""}`.trim());
  return null;
}

async function setsOf(files: Named[]): Promise<Named[][]> {
  const names = files.map(({ path }) => path.slice(-400).replace(LONE_HALF, "\ufffd"));
  const { sets } = await told(api.POST("/api/designs/together", { body: { names } }));
  return sets.map((places) => places.map((place) => files[place]).filter((one) => one !== undefined));
}

/** The files of a set, or why they cannot be sent: what a server or a disk would say only by falling silent. */
async function taken(set: Named[]): Promise<File[] | string> {
  try {
    const files = await Promise.all(set.map(({ take }) => take()));
    for (const file of files) await file.slice(0, 1).arrayBuffer();
    return files.reduce((sum, { size }) => sum + size, 0) > MOST_BYTES ? TOO_LARGE : files;
  } catch {
    return "The browser could not read it: it was moved, changed or locked since it was dropped. Drop it again.";
  }
}

function sent({ job, jobName, first }: Drop, files: File[]): Promise<Answered> {
  const form = new FormData();
  for (const file of files) form.append("file", file, file.name);
  if (job !== undefined) form.append("job_id", String(job));
  else if (jobName) form.append("job_name", jobName);
  if (first) form.append("find", "true");
  sending = new AbortController();
  return upload("POST", "/api/designs", form, { signal: sending.signal });
}

function heldBy({ status, body }: Answered): string {
  if (status === 0) return `${NO_ANSWER} This file may be in already: look at the job before you send it again.`;
  return `${body.title ?? "Etiquette could not take it in."} ${body.do ?? "Its log says why."}`;
}

function isIn(drop: Drop, set: Named[], made: Partial<Schemas["DesignsMade"]>) {
  const { answered, designs } = useManyFiles.getState();
  useManyFiles.setState({ answered: answered + set.length, designs: designs + (made.ids?.length ?? 0), job: made.job_id ?? null });
  const [id] = made.ids ?? [];
  if (drop.first && id !== undefined) drop.first(id, made.finding ?? null);
  drop.first = undefined;
  drop.job = made.job_id;
  if (made.job_id !== undefined) drop.more(made.job_id);
}
