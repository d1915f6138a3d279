/** Movements that come closer together are of one turn of the wheel or one stroke of the fingers. */
const PAUSE_MS = 200;
/** What a stroke travels for every further step; the notch of a wheel travels more, and is one step. */
const TRAVEL_PX = 40;
/** A line and a page of browsers that tell a wheel in those. */
const PIXELS = [1, 16, 400] as const;

type Turned = Pick<WheelEvent, "deltaX" | "deltaY" | "deltaMode" | "shiftKey" | "ctrlKey" | "timeStamp">;

/**
 * Steps from the wheel: 1 up, −1 down, 0 none yet. A track pad tells a stroke in sixty movements, which are not sixty steps;
 * with Shift the browsers turn a wheel sideways; with Ctrl it is the page that grows.
 */
export function wheelSteps(): (turned: Turned) => -1 | 0 | 1 {
  let [last, way, travel] = [-Infinity, 0, 0];
  return (turned) => {
    const delta = turned.deltaY || (turned.shiftKey ? turned.deltaX : 0);
    if (!delta || turned.ctrlKey) return 0;
    const begins = turned.timeStamp - last > PAUSE_MS || Math.sign(delta) !== way;
    [last, way] = [turned.timeStamp, Math.sign(delta)];
    travel = begins ? 0 : travel + delta * (PIXELS[turned.deltaMode] ?? 1);
    if (!begins && Math.abs(travel) < TRAVEL_PX) return 0;
    travel = 0;
    return delta < 0 ? 1 : -1;
  };
}
