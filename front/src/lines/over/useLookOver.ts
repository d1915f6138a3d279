import { queryOptions, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import { toast } from "sonner";
import { api, type Schemas, shown, told } from "../../api/client";
import { sayProblem } from "../../api/held";
import { type Found, useTask } from "../../api/tasks";
import { useMay } from "../../people/usePeople";
import { figure } from "../../ui/units";

export type Card = Schemas["LineCard"];

const linesQuery = (job: number, waiting: boolean, skip: number) =>
  queryOptions({
    queryKey: ["lines of job", job, waiting, skip],
    queryFn: () => shown<"LinesOfJob">(api.GET("/api/lines/{job_id}", { params: { path: { job_id: job }, query: { waiting, skip } } })),
    placeholderData: (before) => before,
  });

/** A page of the designs of a job with their lines; those that have none are found without being asked, once a visit and after
 * what takes lines away. */
export function useLookOver(job: number, waiting: boolean, skip: number) {
  const queries = useQueryClient();
  const path = { params: { path: { job_id: job } } };
  const { data, error } = useQuery(linesQuery(job, waiting, skip));
  const [refused, setRefused] = useState<Found<"lines of a job">["refused"]>([]);
  const refresh = () => void queries.invalidateQueries();
  const finding = useTask("lines of a job", `lines of job ${job}`, (found) => {
    setRefused(found.refused);
    refresh();
  });
  const may = useMay("PREPARE");
  const find = () => void finding.start("Finding the edges", () => told(api.PUT("/api/lines/{job_id}/found", path)));
  const share = finding.progress?.share ?? null;
  useEffect(() => {
    // what was found so far is shown while the rest is looked for
    if (share) void queries.invalidateQueries({ queryKey: ["lines of job", job] });
  }, [queries, job, share]);

  /** Designs without lines for which it was asked already: one that is refused is not asked for again and again. */
  const asked = useRef("");
  const lineless = (data?.cards ?? []).filter((card) => card.state === "no line").map((card) => `${card.id} ${card.key}`);
  const named = lineless.join();
  const idle = finding.progress === null;
  const finder = useRef(find);
  useEffect(() => {
    finder.current = find;
  });
  useEffect(() => {
    if (!named || !idle || !may || asked.current === named) return;
    asked.current = named;
    finder.current();
  }, [named, idle, may]);

  const said = (words: (made: number) => string) => (done: Schemas["SeenMade"]) => {
    if (done.made) toast(words(done.made));
    if (done.others.length > 0)
      toast.error(`${done.others.slice(0, 3).join(", ")}${done.others.length > 3 ? " and others" : ""}: changed meanwhile.`, {
        description: "They stay as they are. Look at them as they are now.",
      });
    refresh();
  };
  const seen = (cards: Card[]) => ({ ...path, body: { designs: cards.map(({ id, revision, key }) => ({ id, revision, key })) } });
  const ready = useMutation({
    mutationFn: (cards: Card[]) => told(api.POST("/api/lines/{job_id}/ready", seen(cards))),
    onSuccess: said((made) => (made === 1 ? "One design is ready for a run." : `${figure(made, 0)} designs are ready for a run.`)),
    onError: sayProblem,
  });
  const setAsAsked = useMutation({
    mutationFn: (cards: Card[]) => told(api.POST("/api/lines/{job_id}/asked", seen(cards))),
    onSuccess: said((made) => `Set for ${made === 1 ? "one design" : `${figure(made, 0)} designs`}. Undo is with each of them.`),
    onError: sayProblem,
  });
  const setWidth = useMutation({
    mutationFn: ({ cards, width_mm }: { cards: Card[]; width_mm: number }) =>
      told(api.POST("/api/lines/{job_id}/width", { ...path, body: { ...seen(cards).body, width_mm } })),
    onSuccess: said((made) => `The width is set for ${made === 1 ? "one design" : `${figure(made, 0)} designs`}.`),
    onError: sayProblem,
  });
  return { data, error, finding, refused, ready, setAsAsked, setWidth };
}
