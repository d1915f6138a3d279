import { useCallback, useEffect, useRef, useState } from "react";
import { toast } from "sonner";
import { api, type Schemas, told } from "./client";

export type Progress = { taskId: number; share: number; words: string };
type Result = NonNullable<Schemas["TaskShown"]["result"]>;
/** What a task finds, by its word. */
export type Found<Word extends Result["found"]> = Extract<Result, { found: Word }>;

/** Start long work that finds a `found`, follow it to its end, cancel it. The stream resumes by itself after a broken line, and a reloaded page finds its work again by `name`. */
export function useTask<Word extends Result["found"]>(found: Word, name: string, done: (result: Found<Word>) => void, failed: () => void = () => undefined) {
  const [progress, setProgress] = useState<Progress | null>(null);
  const source = useRef<EventSource | null>(null);
  const finished = useRef(done);
  const gaveUp = useRef(failed);
  useEffect(() => {
    finished.current = done;
    gaveUp.current = failed;
  });
  useEffect(() => () => source.current?.close(), []);

  const follow = useCallback((taskId: number, words: string) => {
    source.current?.close();
    sessionStorage.setItem(`task ${name}`, String(taskId));
    setProgress({ taskId, share: 0, words });
    const stream = new EventSource(`/api/tasks/${taskId}/events`);
    source.current = stream;
    stream.addEventListener("progress", (event) => {
      const told = JSON.parse(event.data) as { share: number; words: string };
      setProgress({ taskId, share: told.share, words: told.words });
    });
    // closed for good, not interrupted: the work is not known any more
    stream.addEventListener("error", () => {
      if (stream.readyState !== EventSource.CLOSED) return;
      sessionStorage.removeItem(`task ${name}`);
      setProgress(null);
      gaveUp.current();
    });
    stream.addEventListener("end", (event) => {
      stream.close();
      sessionStorage.removeItem(`task ${name}`);
      setProgress(null);
      const task = JSON.parse(event.data) as Schemas["TaskShown"];
      if (task.state === "done" && task.result?.found === found) finished.current(task.result as Found<Word>);
      else {
        if (task.problem) toast.error(task.problem.what, { description: task.problem.do, duration: 12_000 });
        gaveUp.current();
      }
    });
  }, [name, found]);

  useEffect(() => {
    const left = sessionStorage.getItem(`task ${name}`);
    if (left) follow(Number(left), "Going on");
  }, [name, follow]);

  const start = useCallback(
    async (words: string, asked: () => Promise<Schemas["TaskMade"]>) => {
      try {
        follow((await asked()).task_id, words);
      } catch (error) {
        toast.error((error as Error).message);
        gaveUp.current();
      }
    },
    [follow],
  );

  const cancel = useCallback(() => {
    if (progress) void told(api.DELETE("/api/tasks/{task_id}", { params: { path: { task_id: progress.taskId } } }));
  }, [progress]);

  return { progress, start, cancel };
}
