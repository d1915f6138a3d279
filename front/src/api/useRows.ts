import { queryOptions, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { toast } from "sonner";
import { api, type Schemas, shown, told } from "./client";
import { sayProblem } from "./held";
import { keys } from "./keys";
import { type Found, useTask } from "./tasks";
import { useDesign } from "./useDesign";

export type Rows = Schemas["RowsDocument-Output"];
export type Field = Rows["fields"][number];
export type TextField = Schemas["TextDocument-Output"];
export type CodeField = Schemas["CodeDocument-Output"];
export type Serial = Rows["serials"][number];
export type RowsTable = Schemas["RowsShown"];
export type RowSeen = Schemas["RowShown"];
export type Checked = Found<"rows checked">;
export type PutRows = (words: string, changes: Partial<Rows>) => void;

export const NO_ROWS: Rows = { fields: [], serials: [], table_id: null, dpi: 600, left_out: [] };

const rowsQuery = (id: number, revision: number) =>
  queryOptions({
    queryKey: ["rows", id, revision],
    queryFn: () => told(api.GET("/api/rows/{design_id}", { params: { path: { design_id: id } } })),
    placeholderData: (before) => before,
    enabled: revision > 0,
  });
const rowQuery = (id: number, row: number, revision: number) =>
  queryOptions({
    queryKey: ["row", id, row, revision],
    queryFn: () => told(api.GET("/api/rows/{design_id}/{number}", { params: { path: { design_id: id, number: row } } })),
    placeholderData: (before) => before,
    enabled: revision > 0,
  });

/** What makes the copies of a design differ: its fields, its table, one row at a time, and all of them looked at. */
export function useRows(id: number, row: number) {
  const queries = useQueryClient();
  const { design, error, change, step, keep } = useDesign(id);
  const revision = design?.revision ?? 0;
  const { data: table, error: gone } = useQuery(rowsQuery(id, revision));
  const seen = useQuery(rowQuery(id, row, revision)).data;
  const [checked, setChecked] = useState<(Checked & { revision: number }) | null>(null);
  const asked = { onError: sayProblem, onSuccess: (fresh: Schemas["DesignShown"]) => keep(fresh) };
  const path = { params: { path: { design_id: id } } };
  const take = useMutation({
    mutationFn: (file: File) => {
      const body = new FormData();
      body.append("file", file);
      body.append("revision", String(revision));
      return shown<"DesignShown">(api.PUT("/api/rows/{design_id}/table", { ...path, body: body as never, bodySerializer: () => body }));
    },
    ...asked,
  });
  const read = useMutation({
    mutationFn: (how: Schemas["TableDocument"]) =>
      shown<"DesignShown">(api.POST("/api/rows/{design_id}/table/reading", { ...path, body: { revision, how } })),
    ...asked,
  });
  const takeFont = useMutation({
    mutationFn: (file: File) => {
      const body = new FormData();
      body.append("file", file);
      return told(api.POST("/api/rows/fonts", { body: body as never, bodySerializer: () => body }));
    },
    onError: sayProblem,
    onSuccess: ({ name }) => {
      toast(`${name} can be chosen now.`);
      void queries.invalidateQueries({ queryKey: ["rows", id] });
    },
  });
  const checking = useTask("rows checked", `rows ${id}`, (found) =>
    setChecked({ ...found, revision: queries.getQueryData<Schemas["DesignShown"]>(keys.design(id))?.revision ?? 0 }),
  );
  const rows = design?.document.rows ?? NO_ROWS;
  return {
    design,
    error: error ?? gone,
    step,
    rows,
    table,
    seen: seen?.row === row ? seen : undefined,
    take: (file: File) => take.mutate(file),
    taking: take.isPending || read.isPending,
    read: (how: Schemas["TableDocument"]) => read.mutate(how),
    takeFont: (file: File) => takeFont.mutate(file),
    put: ((words, changes) => change(words, { rows: { ...rows, ...changes } })) as PutRows,
    /** What the last look at every row found, while nothing was changed since. */
    checked: checked && checked.revision === revision ? checked : null,
    checking,
    check: () => {
      if (!checking.progress) void checking.start("Looking at every row", () => told(api.PUT("/api/rows/{design_id}/check", path)));
    },
  };
}

export type RowsStation = ReturnType<typeof useRows>;
