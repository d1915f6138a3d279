import { Link } from "react-router";
import { figure, length, useUnit } from "../../ui/units";
import { LinePaths } from "../LinePaths";
import type { Card } from "./useLookOver";

/** Pixels of the picture on a card. */
const [WIDE, HIGH] = [172, 124];
const SAID = 2;

/** `enter`: what Enter does on a card that has the keys, as it does everywhere; Space ticks. */
type CardProps = { card: Card; ticked: boolean; tick: () => void; enter: () => void; why?: string };

/** A design among the others of its job: pressed, it is ticked or left; its name opens it. */
export function LineCard({ card, ticked, tick, enter, why }: CardProps) {
  const unit = useUnit((state) => state.unit);
  const size = card.width_mm && card.height_mm ? `${length(card.width_mm, unit)} × ${length(card.height_mm, unit)} ${unit}` : "";
  const tickable = isTickable(card);
  const said = card.said.slice(0, SAID);
  const picture = (
    <span className="flex h-[124px] items-center justify-center overflow-hidden rounded-t-[6px] bg-white p-1.5">
      <Small card={card} />
    </span>
  );
  return (
    <li
      className={`relative isolate flex flex-col rounded-[7px] border bg-paper ${ticked ? "border-pine ring-1 ring-pine" : "border-rule"}`}
    >
      {tickable ? (
        <button
          type="button"
          role="checkbox"
          data-card={card.id}
          aria-checked={ticked}
          aria-label={card.name}
          onClick={tick}
          onKeyDown={(event) => {
            if (event.key !== "Enter") return;
            event.preventDefault();
            if (!event.repeat) enter();
          }}
          className="block w-full rounded-[6px]"
        >
          <Tick on={ticked} />
          {picture}
        </button>
      ) : (
        picture
      )}
      <div className="flex min-w-0 flex-1 flex-col px-2 pt-1 pb-1.5">
        <Link to={`/lines/${card.id}`} className="truncate font-semibold hover:text-pine" title={card.name}>
          {card.name}
        </Link>
        <span className="text-[12px] text-slate">
          {size}
          {size && ` · ${figure(card.due_count, 0)}`}
        </span>
        <State card={card} why={why} />
        {said.map((words) => (
          <span key={words} className={`text-[12px] leading-4 ${card.state === "look" ? "text-check-text" : "text-slate"}`}>
            {words}
          </span>
        ))}
        {card.said.length > SAID && <span className="text-[12px] leading-4 text-slate">and {card.said.length - SAID} more</span>}
      </div>
    </li>
  );
}

export const isTickable = (card: Card) => !card.ready && (card.state === "plain" || card.state === "look");

const TICK = "absolute top-1.5 left-1.5 z-10 flex h-5 w-5 items-center justify-center rounded-[4px] border text-[13px] leading-none";

function Tick({ on }: { on: boolean }) {
  return (
    <span aria-hidden="true" className={`${TICK} font-bold ${on ? "border-pine bg-pine text-white" : "border-slate bg-white"}`}>
      {on && "✓"}
    </span>
  );
}

function State({ card, why }: { card: Card; why?: string }) {
  if (card.ready) return <span className="text-[12px] font-semibold text-go">ready</span>;
  if (card.state === "no size") return <span className="text-[12px] font-semibold text-stop">its size is not known</span>;
  if (card.state === "no line")
    return <span className={`text-[12px] ${why ? "font-semibold text-stop" : "text-slate"}`}>{why ?? "no line yet"}</span>;
  return null;
}

/** Art and lines to scale of each other. */
function Small({ card }: { card: Card }) {
  const source = `/api/designs/${card.id}/thumb?art=${card.art_id}`;
  if (!card.box || !card.width_mm || !card.height_mm)
    return <img src={source} alt="" loading="lazy" className="max-h-full max-w-full object-contain" />;
  const [x, y, width, height] = card.box;
  const scale = Math.min(WIDE / width, HIGH / height);
  const rimmed = 3 / scale; // a stroke at the very edge is not cut off
  return (
    <svg
      viewBox={`${x - rimmed} ${y - rimmed} ${width + 2 * rimmed} ${height + 2 * rimmed}`}
      className="h-full w-full"
      role="img"
      aria-label={`${card.name} with its lines`}
    >
      <image href={source} width={card.width_mm} height={card.height_mm} preserveAspectRatio="none" />
      <LinePaths lines={card.lines} scale={scale * 1.4} />
    </svg>
  );
}
