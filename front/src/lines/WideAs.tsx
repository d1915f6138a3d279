import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { widestQuery } from "../api/keys";
import type { Schemas } from "../api/client";
import { Choice } from "../ui/Choice";
import { OpenRow } from "../ui/Row";
import { length, useUnit } from "../ui/units";

/** The art as wide as a stock allows: between the marks, with the room that its line takes. */
export function WideAs({ design, take }: { design: Schemas["DesignShown"]; take: (stock: string, width_mm: number) => void }) {
  const unit = useUnit((state) => state.unit);
  const [open, setOpen] = useState(false);
  const { data } = useQuery({ ...widestQuery(design.id, design.revision), enabled: open });
  return (
    <OpenRow
      label="As wide as"
      shown="a stock allows"
      why="Between the marks of a new run on that stock, with the room that the line takes beside the art."
      open={open}
      setOpen={setOpen}
    >
      <Choice
        label="As wide as"
        value=""
        choices={(data ?? []).map(({ stock, width_mm }) => [stock, `${stock} · ${length(width_mm, unit)} ${unit}`])}
        onChange={(stock) => {
          const chosen = data?.find((one) => one.stock === stock);
          if (chosen) take(stock, chosen.width_mm);
        }}
      />
    </OpenRow>
  );
}
