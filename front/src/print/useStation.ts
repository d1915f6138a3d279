import { useState } from "react";
import { useNavigate } from "react-router";
import { type PlateSet, type PrintShown, usePrint } from "../api/usePrint";
import { type Hands, nextPrint } from "./OnePrint";

type Side = PlateSet["order"][number];
/** The colour plate as it is sent, as it will look on its stock, or so with stripes where its inks do not reach the colour. */
export type Seen = "plate" | "stock" | "reach";
const SEEN: Seen[] = ["plate", "stock", "reach"];

/** What Print holds while one run is open: the run, and which plate of which frame is looked at. */
export function useStation(id: number) {
  const navigate = useNavigate();
  const held = usePrint(id);
  const { shown, stopped, sending, hold, settle } = held;
  const [frame, setFrame] = useState(0);
  const [wantsLines, setOver] = useState<boolean | null>(null);
  const [chosen, setSide] = useState<Side>("colour");
  const [wished, setSeen] = useState<Seen>("plate");
  const [sight, setSight] = useState(false);
  const [pressed, setPlace] = useState<{ plate: number; x: number; y: number } | null>(null);
  const way = shown?.settings.way;
  const over = wantsLines ?? (way === "both" || way === "cut");
  const plate = shown?.plates[frame] ?? shown?.plates[0] ?? null;
  const order: Side[] = plate?.order ?? ["colour"];
  const side = order.includes(chosen) ? chosen : "colour";
  const proofed = side === "colour" && Boolean(plate?.profile);
  const seen = proofed ? wished : "plate";
  const hands: Hands = {
    send: (sheet) => held.sendHeld(sheet),
    letGo: (sheet) => held.letGo.mutate(sheet),
    settle: (sheet, how) => !settle.isPending && settle.mutate({ sheet, how }),
    film: held.film,
    cutOff: held.cutOff,
    toCutter: (sheet) => void navigate(`/bench/${sheet.id}`),
  };
  return {
    ...held,
    frame,
    setFrame,
    plate,
    /** Lines over the plate: from the start where the machine cuts them. */
    over,
    setOver,
    /** Only cut: what is printed already is seen faintly under its lines. */
    faint: way === "cut",
    side,
    setSide,
    nextSide: () => setSide(order[(order.indexOf(side) + 1) % order.length] ?? "colour"),
    /** Whether the plate can be seen as on its stock. */
    proofed,
    seen,
    setSeen,
    nextSeen: () => setSeen(SEEN[(SEEN.indexOf(seen) + 1) % SEEN.length] ?? "plate"),
    /** A sight that keys lead over the plate, to press a place without a pointer. */
    sight: proofed && sight,
    turnSight: () => setSight(!sight),
    /** The place whose colours are read, in run millimetres. */
    place: proofed && pressed?.plate === plate?.id ? pressed : null,
    setPlace,
    /** The print that waits for its next step; while there is one, that is the main action. */
    next: shown ? nextPrint(shown.sheets) : null,
    hands,
    /** The beds whose blanks are frames of their own: those of each are one print. */
    beds: new Set(shown?.plates.flatMap(({ bed }) => bed ?? [])).size,
    sendPlate: () => plate && !stopped && !sending.progress && held.send(plate),
    /** The main action: the frame that is looked at, or the beds. */
    sendFirst: () => plate && !stopped && !sending.progress && (plate.bed === null ? held.send(plate) : held.sendAll()),
    holdPlate: () => plate && !stopped && !hold.isPending && hold.mutate(plate),
  };
}

export type Station = ReturnType<typeof useStation> & { shown: PrintShown };
