import { NumberRow } from "./Field";

export const COLOUR_WISHES = ["lightness", "contrast", "saturation", "red_green", "yellow_blue"] as const;
export type ColourWish = (typeof COLOUR_WISHES)[number];
type Wishes = Record<ColourWish, number>;

/** All colours as they came. */
export const AS_THEY_CAME = Object.fromEntries(COLOUR_WISHES.map((name) => [name, 0])) as Wishes;

export const areCorrected = (wishes: Wishes) => COLOUR_WISHES.some((name) => wishes[name] !== 0);

const WORDS: Record<ColourWish, [string, string]> = {
  lightness: ["Lightness", "Above 0 lighter. White and black stay as they are."],
  contrast: ["Contrast", "Above 0 the middle tones go further apart."],
  saturation: ["Saturation", "Above 0 stronger; −100 is grey."],
  red_green: ["Green to red", "Above 0 towards red. White and black stay as they are."],
  yellow_blue: ["Blue to yellow", "Above 0 towards yellow."],
};

/** How colours are corrected in print, of a design or of a run. */
export function ColourRows({ wishes, change }: { wishes: Wishes; change: (words: string, changes: Partial<Wishes>) => void }) {
  return COLOUR_WISHES.map((name) => (
    <NumberRow
      key={name}
      label={WORDS[name][0]}
      why={WORDS[name][1]}
      kind="plain"
      value={wishes[name]}
      zero="as it came"
      least={-100}
      most={100}
      step={5}
      slide={[-100, 100]}
      decimals={0}
      signed
      onChange={(value) => change(WORDS[name][0].toLowerCase(), { [name]: value })}
    />
  ));
}
