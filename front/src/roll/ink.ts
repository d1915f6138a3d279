type Token = "felt" | "ink" | "slate" | "rule" | "kraft" | "kraft-wash" | "kiss" | "go" | "stop" | "card";
const read = new Map<Token, string>();

/** A colour of the theme, for a canvas. */
export function ink(token: Token): string {
  const held = read.get(token) ?? getComputedStyle(document.documentElement).getPropertyValue(`--color-${token}`);
  read.set(token, held);
  return held;
}
