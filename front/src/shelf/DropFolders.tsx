import { queryOptions, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useDeferredValue, useState } from "react";
import { Link } from "react-router";
import { api, type Schemas, told } from "../api/client";
import { sayProblem } from "../api/held";
import { recipesQuery } from "../api/useRecipes";
import { Button, TextButton } from "../ui/Button";
import { Note } from "../ui/Card";
import { ChoiceRow } from "../ui/Choice";
import { NumberRow, TextField } from "../ui/Field";
import { Section } from "../ui/Row";
import { length, metres, useUnit } from "../ui/units";
import { NamedTile } from "./NamedTile";

type Folder = Schemas["FolderShown"];
type Order = Schemas["OrderShown"];

const foldersQuery = queryOptions({
  queryKey: ["folders"],
  queryFn: () => told(api.GET("/api/folders")),
  refetchInterval: 3000,
});
const nameQuery = (pattern: string, name: string) =>
  queryOptions({
    queryKey: ["file name", pattern, name],
    queryFn: () => told(api.GET("/api/folders/name", { params: { query: { pattern, name } } })),
    enabled: name.trim() !== "",
    retry: false,
  });

const GATHERS = {
  each: "a run for every file",
  frame: "when a frame is full",
  metres: "at so many metres",
  hour: "at a set hour",
} as const;
const TONES: Record<string, string> = { refused: "text-stop", asks: "text-check-text", done: "text-pine" };

/** Watched folders among the things of the Shelf. */
export function FolderTiles({ chosen, choose }: { chosen: number | null; choose: (id: number) => void }) {
  const { data: folders = [] } = useQuery(foldersQuery);
  const [adding, setAdding] = useState(false);
  return (
    <section aria-label="Drop folders" className="mb-6">
      <h2 className="mb-2.5 flex items-baseline gap-4">
        Drop folders
        <button
          type="button"
          aria-expanded={adding}
          onClick={() => setAdding(!adding)}
          className="text-[13px] font-semibold text-pine hover:underline"
        >
          Watch a folder
        </button>
      </h2>
      {adding && (
        <NewFolder
          made={(id) => {
            setAdding(false);
            choose(id);
          }}
        />
      )}
      {folders.length === 0 && !adding && (
        <p className="text-slate">
          None is watched. What is put into one becomes lines, a run and print files by a recipe, without a touch.
        </p>
      )}
      <div className="grid grid-cols-[repeat(auto-fill,minmax(200px,1fr))] gap-3">
        {folders.map((folder) => (
          <NamedTile
            key={folder.id}
            name={folder.name}
            words={stateOf(folder)}
            tone={folder.problem ? "font-semibold text-stop" : undefined}
            chosen={chosen === folder.id}
            choose={() => choose(folder.id)}
          />
        ))}
      </div>
    </section>
  );
}

function stateOf(folder: Folder): string {
  if (folder.problem) return folder.problem;
  const asking = folder.states.asks ?? 0;
  if (asking > 0) return `${asking} ${asking === 1 ? "asks" : "ask"} you`;
  if (folder.waiting > 0) return `${folder.waiting} wait, about ${metres(folder.waiting_mm)}`;
  return folder.recipe ? `by ${folder.recipe}` : "no recipe yet";
}

function NewFolder({ made }: { made: (id: number) => void }) {
  const queries = useQueryClient();
  const [name, setName] = useState("");
  const [path, setPath] = useState("");
  const add = useMutation({
    mutationFn: () => told(api.POST("/api/folders", { body: { name: name.trim(), path: path.trim() } })),
    onSuccess: (folders) => {
      queries.setQueryData(foldersQuery.queryKey, folders);
      const own = folders.find((one) => one.name === name.trim());
      if (own) made(own.id);
    },
    onError: sayProblem,
  });
  const field = "mt-1 block h-9 w-full rounded-[5px] border border-rule bg-white px-2.5 text-[13px] text-ink";
  return (
    <form
      className="mb-3 flex items-end gap-3 rounded-[7px] border border-rule bg-paper p-3"
      onSubmit={(event) => {
        event.preventDefault();
        if (name.trim() && path.trim()) add.mutate();
      }}
    >
      <label className="w-[220px] text-[12px] text-slate">
        Name
        <input value={name} maxLength={120} onChange={(event) => setName(event.target.value)} className={field} />
      </label>
      <label className="min-w-0 flex-1 text-[12px] text-slate">
        Path on the machine that Etiquette runs on
        <input value={path} maxLength={500} placeholder="/srv/orders" onChange={(event) => setPath(event.target.value)} className={field} />
      </label>
      <button
        type="submit"
        disabled={!name.trim() || !path.trim() || add.isPending}
        className="h-9 font-semibold text-pine hover:underline"
      >
        Watch it
      </button>
    </form>
  );
}

/** A watched folder: its recipe, how names are read, when it makes a run, and what came lately. */
export function FolderSettings({ id, gone }: { id: number; gone: () => void }) {
  const queries = useQueryClient();
  const { data: folders } = useQuery(foldersQuery);
  const { data: recipes = [] } = useQuery(recipesQuery);
  const folder = folders?.find((one) => one.id === id);
  const change = useMutation({
    mutationFn: (changes: Omit<Schemas["FolderChanges"], "version">) =>
      told(
        api.PATCH("/api/folders/{folder_id}", { params: { path: { folder_id: id } }, body: { version: folder?.version ?? 0, ...changes } }),
      ),
    onSuccess: (fresh) => queries.setQueryData(foldersQuery.queryKey, fresh),
    onError: sayProblem,
  });
  if (!folder) return null;
  return (
    <>
      <TextField
        large
        label="Name of the folder"
        value={folder.name}
        longest={120}
        onChange={(name) => name.trim() && change.mutate({ name })}
      />
      {folder.problem && <Note tone="stop">{folder.problem}</Note>}
      {!folder.recipe && <Note>Choose a recipe: without one, lines and runs are made as the shop begins.</Note>}
      <Section title="Settings">
        <p className="text-[12px] text-slate">Path</p>
        <TextField label="Path" value={folder.path} longest={500} onChange={(path) => path.trim() && change.mutate({ path })} />
        <ChoiceRow
          label="Recipe"
          value={String(folder.recipe_id ?? "")}
          choices={[["", "none"], ...recipes.map((one) => [String(one.id), one.name] as [string, string])]}
          why="What is put in is treated by it, and held or sent as it says."
          onChange={(value) => change.mutate({ recipe_id: value ? Number(value) : null })}
        />
        <Pattern folder={folder} put={(pattern) => change.mutate({ pattern })} />
        <ChoiceRow
          label="Makes a run"
          value={folder.gather}
          choices={Object.entries(GATHERS) as [Folder["gather"], string][]}
          why="Files that share a run share its marks and margins; what waits is shown here."
          onChange={(gather) => change.mutate({ gather })}
        />
        {folder.gather === "metres" && (
          <NumberRow
            label="Metres together"
            kind="plain"
            suffix="m"
            value={folder.gather_metres}
            least={0.1}
            most={1000}
            why="Estimated from the boxes of what waits."
            onChange={(gather_metres) => change.mutate({ gather_metres })}
          />
        )}
        {folder.gather === "hour" && (
          <NumberRow
            label="Hour"
            kind="plain"
            suffix="o'clock"
            decimals={0}
            value={folder.gather_hour}
            least={0}
            most={23}
            why="Once a day, of all that waits then."
            onChange={(gather_hour) => change.mutate({ gather_hour: Math.round(gather_hour) })}
          />
        )}
      </Section>
      <Section title="Lately">
        {folder.waiting > 0 && (
          <p className="py-1 text-check-text">
            {folder.waiting} {folder.waiting === 1 ? "waits" : "wait"} to share a run, about {metres(folder.waiting_mm)} together.
          </p>
        )}
        {folder.latest.length === 0 && <p className="text-slate">Nothing has come yet.</p>}
        {folder.latest.map((one) => (
          <OrderRow key={one.id} order={one} />
        ))}
      </Section>
      <TextButton onClick={() => change.mutate({ away: true }, { onSuccess: gone })}>Watch it no more</TextButton>
    </>
  );
}

/** How names of files are read, tried on one before it is used. */
function Pattern({ folder, put }: { folder: Folder; put: (pattern: string) => void }) {
  const unit = useUnit((state) => state.unit);
  const [name, setName] = useState("Seed swap - Jar label 48x 60mm.png");
  const { data: read, error } = useQuery(nameQuery(folder.pattern, useDeferredValue(name)));
  const said = read && [
    read.name,
    read.count !== null && `${read.count} pieces`,
    read.width_mm !== null && `${length(read.width_mm, unit, 1)} ${unit} wide`,
    read.customer !== null && `for ${read.customer}`,
  ];
  return (
    <div className="border-b border-rule py-2">
      <p className="text-[12px] text-slate">How names are read</p>
      <TextField label="How names are read" value={folder.pattern} longest={200} onChange={put} />
      <p className="mt-1 text-[12px] text-slate">
        {"{name}, {count}, {width} and {customer} stand for what they say, like {customer} - {name} {count}x {width}mm."}
      </p>
      <label className="mt-1.5 block text-[12px] text-slate">
        Try a name
        <input
          value={name}
          maxLength={255}
          onChange={(event) => setName(event.target.value)}
          className="mt-1 block h-9 w-full rounded-[5px] border border-rule bg-white px-2.5 text-[13px] text-ink"
        />
      </label>
      <p role="status" className={`mt-1 ${error ? "font-semibold text-stop" : ""}`}>
        {error ? error.message : said && said.filter(Boolean).join(" · ")}
      </p>
    </div>
  );
}

function OrderRow({ order }: { order: Order }) {
  const queries = useQueryClient();
  const again = useMutation({
    mutationFn: () => told(api.POST("/api/orders/{order_id}/again", { params: { path: { order_id: order.id } } })),
    onSuccess: () => void queries.invalidateQueries({ queryKey: foldersQuery.queryKey }),
    onError: sayProblem,
  });
  const newer = useMutation({
    mutationFn: () => told(api.POST("/api/orders/{order_id}/newer", { params: { path: { order_id: order.id } } })),
    onSuccess: () => void queries.invalidateQueries(),
    onError: sayProblem,
  });
  const path = order.run_id ? `/print/${order.run_id}` : order.job_id ? `/floor/job/${order.job_id}` : null;
  return (
    <div className="flex min-h-[44px] items-center gap-2 border-b border-rule py-1">
      <span className="min-w-0 flex-1">
        {path ? (
          <Link to={path} className="block truncate hover:text-pine">
            {order.file_name}
          </Link>
        ) : (
          <span className="block truncate">{order.file_name}</span>
        )}
        <span className={`block text-[12px] ${TONES[order.state] ?? "text-slate"}`}>{order.words || order.state}</span>
      </span>
      {order.newer_of !== null && (
        <Button narrow disabled={newer.isPending} onClick={() => newer.mutate()}>
          It is
        </Button>
      )}
      {order.state === "asks" && (
        <Button narrow disabled={again.isPending} onClick={() => again.mutate()}>
          {order.newer_of === null ? "Go on" : "A new job"}
        </Button>
      )}
    </div>
  );
}
