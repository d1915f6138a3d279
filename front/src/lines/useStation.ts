import { useEffect, useRef, useState } from "react";
import type { Schemas } from "../api/client";
import { useDesign, wereBegun } from "../api/useDesign";
import type { View } from "./ArtView";
import { useLiveLines } from "./live";
import type { Proof } from "./seen";
import { movedBy, withEdit } from "./edits";
import { useNext } from "./useNext";

type Box = [number, number, number, number];

export const VIEWS: [View, string][] = [
  ["art", "Art"],
  ["lines", "Lines"],
  ["bleed", "Bleed"],
  ["print", "Print"],
  ["white", "White"],
  ["clear", "Clear"],
];

/** What Lines holds while one design is open: the design, what is looked at, and what hands are about to do with it. */
export function useStation(id: number) {
  const held = useDesign(id);
  const { design, change, arrange } = held;
  const [view, setView] = useState<View>("lines");
  const [mark, setMark] = useState<number | null>(null);
  const [proof, setProof] = useState<Proof | null>(null);
  const [framing, setFraming] = useState<"area" | "crop" | null>(null);
  const [chosen, choose] = useState<number | null>(null);
  const [looked, setLooked] = useState<number | null>(null);
  /** What a press on the art takes: a colour of the ground, or for a plate by its name, a mark, or paths until that is ended. */
  const [picking, setPicking] = useState<string | null>(null);
  /** A plate that the next colour pressed will mean. */
  const picksPlate = picking !== null && !["ground", "colour", "mark", "path"].includes(picking) ? picking : null;
  const live = useLiveLines(id);
  useLinesByThemselves(held);
  const { next, goOn } = useNext(design);

  /** The lines that were there last, shown while new ones are found. */
  const [last, setLast] = useState<Schemas["DesignShown"]["lines"]>(null);
  if (design?.lines && design.lines !== last) setLast(design.lines);
  const findings = design?.lines ? (design.summary?.findings ?? []) : [];
  const views = [
    ...VIEWS.filter(([name]) => (name !== "white" && name !== "clear") || design?.[name]),
    ...(design?.specials ?? []).filter(({ d }) => d).map(({ ink, name }): [View, string] => [`special ${ink}`, name]),
  ];

  /** A colour of the art is printed as another one: white, until it is said which. */
  const replace = (colour: string) => {
    const replaced = design?.document.replaced ?? [];
    setView("print");
    if (replaced.length < 24) change("a colour replaced", { replaced: [...replaced, { colour, to: "white", within: 5 }] });
  };
  const pick = (colour: string) => {
    setPicking(null);
    if (picking === "colour") return replace(colour);
    if (picksPlate) {
      setView(picksPlate as View);
      return change("an ink from the art", { marked: { ...design?.document.marked, [`colour ${colour}`]: picksPlate } });
    }
    const { ground } = design?.document ?? { ground: "auto" };
    const colours = ground.startsWith("#") ? [...new Set([...ground.split(","), colour])].slice(0, 8) : [colour];
    change("ground", { ground: colours.join(",") });
  };
  /** A mark of the page's own: one that is held is let go, another is taken with all that look like it. */
  const point = (x: number, y: number, reach_mm: number) => {
    if (picking === "path") return held.press({ at: [x, y], reach_mm, kind: design?.document.kind ?? "kiss" });
    setPicking(null);
    const places = ownMarks(design)?.places ?? [];
    const near = places.findIndex(([left, low]) => Math.hypot(left - x, low - y) < (ownMarks(design)?.size_mm ?? 0));
    if (near >= 0) letMarkGo(near);
    else held.findMarks([x, y]);
  };
  const letMarkGo = (index: number) => {
    const own = ownMarks(design);
    if (own) change("a mark is none", { own_marks: { ...own, places: own.places.filter((_, at) => at !== index) } });
  };
  const frame = (area: Box) => {
    setFraming(null);
    if (framing === "area" || !design) return change("area", { area });
    // shares of the art as it is shown; without a size it is shown 100 mm wide
    const wide = design.document.width_mm ?? 100;
    const high = (wide * (design.natural_height_mm ?? design.height_px)) / (design.natural_width_mm ?? design.width_px);
    const [x, y, width, height] = area;
    arrange({ do: "crop", by: 90, box: [x / wide, y / high, width / wide, height / high] });
  };
  const move = (dx: number, dy: number) => {
    const line = chosen === null ? undefined : design?.lines?.[chosen];
    if (!design || chosen === null || !line) return;
    const [right, up] = movedBy(design.document.line_edits, chosen);
    const move_mm: [number, number] = [Number((right + dx).toFixed(3)), Number((up + dy).toFixed(3))];
    change("line moved", { line_edits: withEdit(design.document.line_edits, chosen, { kind: line.kind, move_mm }) });
  };
  /** A rectangle round all of it: always to be had. */
  const rectangle = () => {
    if (design) change("a rectangle round it", { follow: "page" });
  };
  const addLine = () => {
    if (!design || design.document.more.length >= 12) return;
    const line = { kind: "through", course: "edge", offset_mm: 3, corner_mm: 0, place_mm: 10 } as const;
    change("one more line", { more: [...design.document.more, line] });
  };
  const look = (index: number | null) => {
    setView("lines");
    setLooked(index);
  };
  const mend = (finding: Schemas["Finding"]) => {
    setLooked(null);
    const words = finding.repair?.toLowerCase() ?? "repair";
    const line = finding.line ?? null;
    if (line === null) return change(words, finding.changes ?? {});
    if (!design) return;
    const edit = finding.act === "out" ? { kind: null } : { kind: design.lines?.[line]?.kind ?? "kiss", close: true };
    change(words, { line_edits: withEdit(design.document.line_edits, line, edit) });
  };
  return {
    ...held,
    live,
    lines: design?.lines ?? last,
    findings,
    view,
    views,
    setView,
    mark,
    setMark,
    proof,
    setProof,
    nextView: () => setView(views[(views.findIndex(([name]) => name === view) + 1) % views.length]?.[0] ?? "lines"),
    framing,
    setFraming,
    frame,
    chosen,
    choose,
    move,
    addLine,
    rectangle,
    looked,
    look,
    lookNext: () => findings.length > 0 && look(((looked ?? -1) + 1) % findings.length),
    mend,
    picking,
    picksPlate,
    picksColour: picking !== null && picking !== "mark" && picking !== "path",
    setPicking,
    pick,
    point,
    letMarkGo,
    turn: (by: 90 | 270) => arrange({ do: "turn", by, box: [0, 0, 1, 1] }),
    next,
    /** The next step of the work: this design is ready, or was and the next one comes. */
    ready: () => (design?.document.ready ? goOn() : design?.lines && change("ready for a run", { ready: true })),
    notReady: () => change("not ready", { ready: false }),
  };
}

/** The marks that a design brings along, as they are at its size now; none of art that was there before. */
export function ownMarks(design: Schemas["DesignShown"] | undefined) {
  const own = design?.document.own_marks;
  if (!design || !own || own.art_id !== design.art_id || design.document.width_mm === null) return null;
  const scale = design.document.width_mm / own.width_mm;
  const places = own.places.map(([x, y]): [number, number] => [x * scale, y * scale]);
  return {
    ...own,
    width_mm: design.document.width_mm,
    size_mm: own.size_mm * scale,
    stroke_mm: own.stroke_mm * scale,
    clear_mm: own.clear_mm * scale,
    places,
  };
}

export type Station = ReturnType<typeof useStation> & { design: Schemas["DesignShown"] };

/** A design with a size and no line gets one without being asked; the same state is never asked for twice. */
function useLinesByThemselves({ design, find }: Pick<ReturnType<typeof useDesign>, "design" | "find">) {
  const asked = useRef("");
  const finder = useRef(find);
  useEffect(() => {
    finder.current = find;
  });
  useEffect(() => {
    if (!design) return;
    const begun = wereBegun(design.id); // of how it was first seen: it may have been slow to come, and bring its lines along
    if (design.cleared_at || design.lines !== null || design.document.width_mm === null) return;
    const state = `${design.id} ${design.revision} ${JSON.stringify(design.meanings)}`;
    if (asked.current === state) return;
    asked.current = state;
    if (!begun) finder.current();
  }, [design]);
}
