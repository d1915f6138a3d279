/** What stands on the way of the work, read off the Shelf. */
import type { Schemas } from "../../api/client";
import { length, type Unit } from "../../ui/units";

export type Shelf = Schemas["ShelfShown"];
export type Place = "printer" | "stock" | "film" | "cutter";
export type Finding = "head" | "hand" | "photo" | "itself";
/** A place on the way of the work: what stands there, or what is asked while it is empty. */
export type Standing = { title: string; words: string; done: boolean };

/** Cutters that stand by themselves; the knife of a printer comes with it. */
export const cutters = (shelf: Shelf) => shelf.cutter.filter((one) => one.printer_id === null);
const out = <T extends { away: boolean }>(rows: T[]) => rows.filter((row) => !row.away);
const named = (rows: { name: string }[]) => rows.map(({ name }) => name).join(", ");

/** How a cutter finds the print: by what it has. */
export function findingOf(cutter: { address: string; eye: string; table_eye: string }): Finding {
  if (cutter.eye) return "head";
  if (cutter.table_eye) return "photo";
  return cutter.address.startsWith("folder:") ? "itself" : "hand";
}

export const FINDING_WORDS: Record<Finding, string> = {
  head: "a camera on its head",
  hand: "led by hand",
  photo: "by a photo",
  itself: "by itself",
};

/** How a machine is connected, as a person says it. */
export function connectionOf(address: string): string {
  const words: Record<string, string> = {
    ipp: "network", ipps: "network, secure", socket: "network", rfc2217: "network", http: "network",
    serial: "cable", usb: "USB", folder: "a folder",
  }; // prettier-ignore
  return words[address.split(":")[0] ?? ""] ?? "no address yet";
}

export function filmIsDecided(shelf: Shelf): boolean {
  return out(shelf.laminator).length > 0 || (shelf.stock.length > 0 && out(shelf.stock).every((stock) => !stock.takes_film));
}

export function standing(shelf: Shelf, place: Place, unit: Unit): Standing {
  const wide = (mm: number) => `${length(mm, unit, 0)} ${unit} wide`;
  if (place === "printer") {
    const rows = out(shelf.printer);
    const [first] = rows;
    if (!first) return { title: "A printer", words: "how is it connected?", done: false };
    // without an address its files are saved and carried to it, which is a way of working
    const way = first.address ? connectionOf(first.address) : "files carried to it";
    return { title: named(rows), words: `${way} · ${wide(first.print_width_mm)}`, done: true };
  }
  if (place === "stock") {
    const rows = out(shelf.stock);
    const [first] = rows;
    if (!first) return { title: "A stock", words: "which one, and how much?", done: false };
    const left = out(shelf.roll).reduce((sum, roll) => sum + roll.remaining_mm, 0);
    const rolls = out(shelf.roll).length;
    return { title: named(rows), words: rolls ? `${(left / 1000).toFixed(0)} m on hand` : "no roll of it yet", done: rolls > 0 };
  }
  if (place === "film") {
    const rows = out(shelf.laminator);
    if (rows[0]) return { title: named(rows), words: `film ${wide(rows[0].film_width_mm)}`, done: true };
    if (filmIsDecided(shelf)) return { title: "No film", words: "from the printer to the cutter", done: true };
    return { title: "Film", words: "which one, or none?", done: false };
  }
  const rows = out(cutters(shelf));
  const [first] = rows;
  const [knife] = out(shelf.cutter);
  if (!first && knife) return { title: knife.name, words: "cuts what its printer prints", done: true };
  if (!first) return { title: "A cutter", words: "or only print", done: false };
  return { title: named(rows), words: `${connectionOf(first.address)} · ${FINDING_WORDS[findingOf(first)]}`, done: first.address !== "" };
}

/** What to expect of where a cut lands: 95 of 100 sheets, eight marks (benchmarks/aligning.py, by_hand.py). */
export const EXPECT: Record<Finding, string> = {
  head: "With a camera on the head cuts land within about 0.15 mm.",
  photo: "A photo shows all marks at once; the Bench says what a cut may miss before the knife moves.",
  hand: "With marks led to by hand cuts land within about 0.5 mm. A camera on the head brings it to about 0.15.",
  itself: "A cutter that aligns itself corrects place, turn and size; a sheet that is bowed by its film stays bowed.",
};

/** Ways of connecting a machine: the schemes of each, and what its address looks like. */
export type Ways<W extends string> = Record<W, { schemes: string[]; like: string }>;

/** The way that an address goes; null: none yet. */
export function wayOf<W extends string>(ways: Ways<W>, address: string): W | null {
  const scheme = address.split(":")[0] ?? "";
  return (Object.keys(ways) as W[]).find((way) => ways[way].schemes.includes(scheme)) ?? null;
}
