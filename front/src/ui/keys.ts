import { useEffect, useRef } from "react";

/** What the key sheet under ? shows; each station's keys are bound where they are used. */
export const KEY_SHEET: [string, [string, string][]][] = [
  [
    "Everywhere",
    [
      ["1 – 6", "stations"],
      ["Ctrl K", "find anything"],
      ["Ctrl Z", "undo"],
      ["Ctrl Shift Z", "redo"],
      ["Ctrl V", "take in art that was copied (Floor, Lines)"],
      ["F1", "help for this station"],
      ["?", "this sheet"],
    ],
  ],
  ["Floor", [["R", "make one run of what is ready"]]],
  [
    "Lines",
    [
      ["E", "find edge"],
      ["R", "a rectangle round it"],
      ["L", "add a line"],
      ["P", "press paths to make them lines"],
      ["O", "offset"],
      ["F", "next finding"],
      ["V", "next view"],
      [", .", "turn the art"],
      ["G", "all designs of the job at once"],
      ["Enter", "ready for a run"],
    ],
  ],
  [
    "Lines of a job",
    [
      ["arrows", "from card to card"],
      ["Space", "tick it or leave it"],
      ["A", "tick all, none"],
      ["O", "open it"],
      ["Enter", "what is ticked is ready"],
    ],
  ],
  [
    "Tiles",
    [
      ["E C", "even seams, where least is cut"],
      ["T", "tint what is busy"],
      ["W K", "draw a window, what stays whole"],
      ["Enter", "next step"],
    ],
  ],
  [
    "Folded",
    [
      ["F", "fold it up, lay it flat"],
      ["arrows", "look from another side"],
      ["+ −", "nearer, away"],
    ],
  ],
  [
    "Rows",
    [
      ["← →", "the row before, the next"],
      ["Home End", "the first row, the last"],
      ["T C", "a text, a code"],
      ["Delete", "take the field away"],
      ["Enter", "check every row"],
    ],
  ],
  [
    "Run",
    [
      ["N", "nest"],
      ["A", "add designs"],
      ["F", "fill the gaps"],
      ["K", "set the layout aside"],
      ["C", "compare layouts"],
      ["B", "bed with its blanks"],
      [", .", "turn the piece"],
      ["P", "pin it or let it go"],
      ["D", "double it"],
      ["Del", "take it off"],
      ["arrows", "move it by 1 mm"],
      ["Shift drag", "choose with a box"],
    ],
  ],
  [
    "Print",
    [
      ["Enter", "send to printer"],
      ["H", "hold"],
      ["V", "next plate"],
      ["L", "the cut over the plate"],
      ["S", "as sent, on this stock, out of reach"],
      ["C", "a sight for the colours of a place"],
    ],
  ],
  [
    "Bench",
    [
      ["M", "read marks"],
      ["P", "read them from a photo"],
      ["Enter", "cut, or cut the rest"],
      ["O", "cut one piece first"],
      ["H", "hold"],
      ["click", "choose a piece; after the cut: it is spoiled"],
      ["Shift drag", "several pieces"],
    ],
  ],
  [
    "Pictures",
    [
      ["wheel", "zoom at the pointer"],
      ["drag", "pan"],
      ["Space drag", "pan over pieces"],
      ["0", "fit"],
    ],
  ],
];

/** Keys that go on while they are held: they move what is on the screen. */
const REPEATING = new Set(["ArrowLeft", "ArrowRight", "ArrowUp", "ArrowDown"]);

/** Under this name the browser keeps whether keys of a single letter act (WCAG 2.2, 2.1.4). */
export const LETTERS = "single letters act";
const lettersAct = () => localStorage.getItem(LETTERS) !== "no";

export type KeyMap = Record<string, () => void>;

/** Bind keys while a component is shown: `e`, `Enter`, `ctrl+z`, `ctrl+shift+z`. Typing in a field is left alone. */
export function useKeys(map: KeyMap) {
  const current = useRef(map);
  useEffect(() => {
    current.current = map;
  });
  useEffect(() => {
    const pressed = (event: KeyboardEvent) => {
      const target = event.target as HTMLElement;
      const typing = target.closest("input, textarea, select, [contenteditable], [role=dialog]") !== null;
      const control = event.ctrlKey || event.metaKey;
      const anywhere = (control && event.key.toLowerCase() === "k") || event.key === "F1";
      if ((typing && !anywhere) || event.altKey) return;
      if (event.key === "Enter" && target.closest("button, a")) return;
      const key = event.key.length === 1 ? event.key.toLowerCase() : event.key;
      const name = `${control ? "ctrl+" : ""}${control && event.shiftKey ? "shift+" : ""}${key}`;
      if (name.length === 1 && !lettersAct()) return;
      const act = current.current[name];
      // a key that is held down acts once: nothing is cut or printed twice by a resting hand
      if (!act || event.defaultPrevented || (event.repeat && !REPEATING.has(event.key))) return;
      event.preventDefault();
      act();
    };
    window.addEventListener("keydown", pressed);
    return () => window.removeEventListener("keydown", pressed);
  }, []);
}
