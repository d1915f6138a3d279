import { useState } from "react";

/** A choice of how the screen looks, kept in this browser under `name`. */
export function useRemembered(name: string, usual: boolean): [boolean, (value: boolean) => void] {
  const [value, setValue] = useState(() => {
    const held = localStorage.getItem(name);
    return held === null ? usual : held === "yes";
  });
  const keep = (next: boolean) => {
    localStorage.setItem(name, next ? "yes" : "no");
    setValue(next);
  };
  return [value, keep];
}
