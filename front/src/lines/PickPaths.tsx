import { useMutation, useQueryClient } from "@tanstack/react-query";
import type { ReactNode } from "react";
import { toast } from "sonner";
import { api, type Schemas, told } from "../api/client";
import { sayProblem } from "../api/held";
import { designQuery } from "../api/keys";
import { Action, TextButton } from "../ui/Button";
import { figure } from "../ui/units";
import { KIND_WORDS } from "./kinds";
import type { Station } from "./useStation";

type Pressed = Schemas["PathPressed"];
type Likeness = Schemas["LikeAsked"]["by"];

/** Paths of the art are pressed to become finish lines, or art again; then all that are like them, and always. */
export function PickPaths({ station }: { station: Station }) {
  const { picking, setPicking, pressed } = station;
  const going = picking === "path";
  return (
    <div className="mt-2">
      <Action hint="P" onClick={() => setPicking(going ? null : "path")}>
        {going ? "Done pressing" : "Press paths to make them lines"}
      </Action>
      {going && !pressed && (
        <p className="mt-1.5 text-slate">Press a path in the art: it is a line and leaves the print. Press it again, and it is art.</p>
      )}
      {going && pressed && <LastPressed station={station} pressed={pressed} />}
    </div>
  );
}

/** How those that are alike are told, and how many more there are. */
function likes({ like, layer, colour, spots, stroke_mm }: Pressed): [Likeness, ReactNode][] {
  const told: [Likeness, ReactNode][] = [
    ["layer", layer && `in “${layer}”`],
    ["colour", spots[0] ? `of “${spots[0]}”` : <Swatch colour={colour} />],
    ["width", stroke_mm !== null ? `${figure(stroke_mm, 2)} mm wide` : ""],
  ];
  return told.filter(([by, words]) => words && (like[by] ?? 0) > 0);
}

function Swatch({ colour }: { colour: string }) {
  return (
    <>
      of{" "}
      <span
        role="img"
        aria-label={colour}
        className="inline-block h-3 w-5 rounded-[2px] border border-rule"
        style={{ background: colour }}
      />
    </>
  );
}

function LastPressed({ station: { design, pressLike }, pressed }: { station: Station; pressed: Pressed }) {
  const queries = useQueryClient();
  const { kind, number } = pressed;
  const rule = useMutation({
    mutationFn: (by: Likeness) =>
      told(api.POST("/api/rules/from/{design_id}", { params: { path: { design_id: design.id } }, body: { number, by } })),
    onSuccess: () => {
      toast.success("From now on that is a line in every file. The rule is the first on the Shelf.");
      void queries.invalidateQueries({ queryKey: designQuery(design.id).queryKey });
    },
    onError: sayProblem,
  });
  return (
    <div role="status" aria-label="Pressed last" className="mt-2 rounded-[6px] border border-rule bg-white px-3 py-2">
      <p className="font-semibold">{kind ? `A ${KIND_WORDS[kind]?.toLowerCase()} line now` : "Art again"}</p>
      {likes(pressed).map(([by, words]) => (
        <div key={by} className="mt-1 flex items-baseline justify-between gap-2">
          <span className="min-w-0 truncate text-slate">
            {pressed.like[by]} more {words}
          </span>
          <span className="flex shrink-0 gap-3">
            <TextButton onClick={() => pressLike({ number, by })}>All too</TextButton>
            {kind && <TextButton onClick={() => rule.mutate(by)}>Always</TextButton>}
          </span>
        </div>
      ))}
    </div>
  );
}
