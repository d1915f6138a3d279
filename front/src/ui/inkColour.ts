/** What the four process inks look like on a screen, roughly; shares from 0 to 1. */
export function inkColour([cyan = 0, magenta = 0, yellow = 0, black = 0]: readonly number[]) {
  const level = (ink: number) => Math.round(255 * (1 - ink) * (1 - black));
  return `rgb(${level(cyan)} ${level(magenta)} ${level(yellow)})`;
}
