import { useMutation } from "@tanstack/react-query";
import { useTakeIn } from "../lines/takeIn";
import { Action } from "../ui/Button";
import { Section } from "../ui/Row";
import { length, useUnit } from "../ui/units";
import type { Schemas } from "../api/client";

type Holder = Schemas["HolderShown"];

/** A holder as it is drawn, its files, and itself taken in as a design: to be printed as a template, or cut. */
export function HolderDrawing({ holder }: { holder: Holder }) {
  const unit = useUnit((state) => state.unit);
  const { send, taking } = useTakeIn();
  const drawing = (form: string) => `/api/shelf/holders/${holder.id}/drawing?form=${form}`;
  const design = useMutation({
    mutationFn: async () => {
      const answer = await fetch(drawing("svg"));
      if (!answer.ok) throw new Error("The drawing could not be made. Try again.");
      send(new File([await answer.blob()], `${holder.name}.svg`, { type: "image/svg+xml" }));
    },
  });
  return (
    <Section title="Drawing">
      <Plan holder={holder} />
      <ol aria-label="Blanks" className="text-[12px]">
        {holder.places.map((blank, index) => (
          <li key={index} className="flex justify-between border-b border-rule py-1">
            <span>
              {index + 1} · {length(blank.width_mm, unit)} × {length(blank.height_mm, unit)} {unit}
            </span>
            <span>
              left {length(blank.x_mm, unit)}, near {length(blank.y_mm, unit)}
            </span>
          </li>
        ))}
      </ol>
      <div className="flex gap-4 py-2">
        {["pdf", "svg", "dxf"].map((form) => (
          <a
            key={form}
            href={drawing(form)}
            download={`${holder.name}.${form}`}
            className="min-h-[36px] py-2 font-semibold text-pine uppercase hover:underline"
          >
            {form}
          </a>
        ))}
      </div>
      <Action onClick={() => design.mutate()} disabled={taking !== null || design.isPending || holder.places.length === 0}>
        Make a design of it
      </Action>
      <p className="mt-1 text-[12px] text-slate">
        Openings and edge are cut through, numbers drawn; then it is printed or cut like any other.
      </p>
    </Section>
  );
}

/** From above, near edge on the left and left edge on top, as at Run. */
function Plan({ holder }: { holder: Holder }) {
  const rim = 0.02 * Math.max(holder.width_mm, holder.length_mm);
  const line = { strokeWidth: 1.2, vectorEffect: "non-scaling-stroke" as const };
  return (
    <svg
      viewBox={`${-rim} ${-rim} ${holder.length_mm + 2 * rim} ${holder.width_mm + 2 * rim}`}
      className="mb-2 max-h-[240px] w-full"
      role="img"
      aria-label={`${holder.name} with ${holder.places.length} openings`}
    >
      <rect width={holder.length_mm} height={holder.width_mm} className="fill-white stroke-through" {...line} />
      {holder.places.map((blank, index) =>
        blank.shape === "rectangle" ? (
          <rect
            key={index}
            x={blank.y_mm}
            y={blank.x_mm}
            width={blank.height_mm}
            height={blank.width_mm}
            className="fill-felt stroke-through"
            {...line}
          />
        ) : (
          <ellipse
            key={index}
            cx={blank.y_mm + blank.height_mm / 2}
            cy={blank.x_mm + blank.width_mm / 2}
            rx={blank.height_mm / 2}
            ry={blank.width_mm / 2}
            className="fill-felt stroke-through"
            {...line}
          />
        ),
      )}
    </svg>
  );
}
