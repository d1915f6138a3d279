import { type QueryClient, useQueryClient } from "@tanstack/react-query";
import { useCallback, useEffect, useRef, useState } from "react";
import { toast } from "sonner";
import { api, Problem, type Schemas, shown, told } from "./client";
import { follow } from "./events";

export type Progress = { taskId: number; share: number; words: string };
type Task = Schemas["TaskShown"];
type Result = NonNullable<Task["result"]>;
/** What a task finds, by its word. */
export type Found<Word extends Result["found"]> = Extract<Result, { found: Word }>;

const isFound = <Word extends Result["found"]>(result: Task["result"], word: Word): result is Found<Word> => result?.found === word;
const ask = (taskId: number) => shown<"TaskShown">(api.GET("/api/tasks/{task_id}", { params: { path: { task_id: taskId } } }));

/** Until every change that was sent is answered: work that is started after it must know it, and requests may overtake. */
const answered = (queries: QueryClient) =>
  new Promise<void>((done) => {
    if (!queries.isMutating()) return done();
    const leave = queries.getMutationCache().subscribe(() => {
      if (queries.isMutating()) return;
      leave();
      done();
    });
  });

const kept = (name: string) => `task ${name}`;

/** The work of that name is under way already: a page that is opened after this follows it. */
export const isUnderWay = (name: string, taskId: number) => sessionStorage.setItem(kept(name), String(taskId));

/**
 * Start long work that finds a `found`, follow it to its end, cancel it. A broken line is taken up again by itself, and a reloaded
 * page finds its work again by `name`.
 */
export function useTask<Word extends Result["found"]>(
  found: Word,
  name: string,
  done: (result: Found<Word>) => void,
  failed: () => void = () => undefined,
) {
  const queries = useQueryClient();
  const [taskId, setTaskId] = useState<number | null>(() => Number(sessionStorage.getItem(kept(name))) || null);
  const [told_, setTold] = useState<Omit<Progress, "taskId">>({ share: 0, words: "Going on" });
  /** Why it did not come to its end the last time. */
  const [problem, setProblem] = useState<Task["problem"]>(null);
  const ended = useRef<(task: Task | null) => void>(() => undefined);
  useEffect(() => {
    ended.current = (task) => {
      sessionStorage.removeItem(kept(name));
      setTaskId(null);
      setProblem(task?.problem ?? null);
      if (task?.state === "done" && isFound(task.result, found)) return done(task.result);
      if (task?.problem) toast.error(task.problem.what, { description: task.problem.do, duration: 12_000 });
      failed();
    };
  });

  useEffect(() => {
    if (taskId === null) return;
    let over = false;
    const end = (task: Task | null) => {
      if (over) return;
      over = true;
      ended.current(task);
    };
    const look = () =>
      void ask(taskId).then(
        (task) => task.state !== "waiting" && task.state !== "running" && end(task),
        // the work is not known any more; a server that is away is asked again when the stream is back
        (error: unknown) => {
          if (!(error instanceof Problem) || error.status !== 404) return;
          if (!over) toast.error(error.message);
          end(null);
        },
      );
    const leave = follow(taskId, {
      ask: look,
      told: ({ share, words, ended: isOver }) => {
        setTold({ share, words });
        if (isOver) look();
      },
    });
    return () => {
      over = true;
      leave();
    };
  }, [taskId]);

  const starting = useRef(false);
  const start = useCallback(
    async (words: string, asked: () => Promise<Schemas["TaskMade"]>) => {
      if (starting.current) return; // a second press before the first was answered: nothing is printed or cut twice
      starting.current = true;
      try {
        await answered(queries);
        const { task_id } = await asked();
        isUnderWay(name, task_id);
        setTold({ share: 0, words });
        setProblem(null);
        setTaskId(task_id);
      } catch (error) {
        toast.error((error as Error).message);
        ended.current(null);
      } finally {
        starting.current = false;
      }
    },
    [name, queries],
  );
  const cancel = useCallback(() => {
    if (taskId !== null) void told(api.DELETE("/api/tasks/{task_id}", { params: { path: { task_id: taskId } } }));
  }, [taskId]);
  const progress: Progress | null = taskId === null ? null : { taskId, ...told_ };
  return { progress, start, cancel, problem };
}
