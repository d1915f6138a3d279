import { useMutation } from "@tanstack/react-query";
import { api, type Schemas, told } from "./client";
import { useTask } from "./tasks";

type Sheet = Schemas["SheetShown"];
type Tied = { onSuccess: () => void; onError: (problem: unknown) => void };

/** Film on what is printed, and what hands have cut off before. `simulated`: whether a laminator does it while one waits. */
export function useFilm(run: number, simulated: () => boolean, tied: Tied) {
  const filming = useTask("film", `filming ${run}`, tied.onSuccess, tied.onSuccess);
  const isOn = useMutation({
    mutationFn: (way: { params: { path: { sheet_id: number }; query: { anyway: boolean } } }) =>
      told(api.POST("/api/sheets/{sheet_id}/film", way)),
    ...tied,
  });
  const cutOff = useMutation({
    mutationFn: (sheet: Sheet) => told(api.POST("/api/sheets/{sheet_id}/cut-off", { params: { path: { sheet_id: sheet.id } } })),
    ...tied,
  });
  const film = (sheet: Sheet, anyway = false) => {
    const way = { params: { path: { sheet_id: sheet.id }, query: { anyway } } };
    if (!simulated()) return isOn.mutate(way);
    void filming.start("Film on", () => told(api.POST("/api/room/sheets/{sheet_id}/film", way)));
  };
  return { filming, film, cutOff: (sheet: Sheet) => cutOff.mutate(sheet) };
}
