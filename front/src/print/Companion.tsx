import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, told } from "../api/client";
import { keys } from "../api/keys";
import type { PlateSet } from "../api/usePrint";
import type { Kind } from "../lines/kinds";
import { KindTicks } from "../ui/KindTicks";

/** The print with its finish lines as layers in one file, for another program: with the kinds that are ticked. */
export function Companion({ plate }: { plate: PlateSet }) {
  const [left, setLeft] = useState<Kind[]>([]);
  const { data: kinds } = useQuery({
    queryKey: keys.plateKinds(plate.id),
    queryFn: async () => {
      const lines = await told(api.GET("/api/plates/{plate_id}/lines", { params: { path: { plate_id: plate.id } } }));
      return [...new Set(lines.map(({ kind }) => kind))];
    },
  });
  const ticked = (kinds ?? []).filter((kind) => !left.includes(kind));
  if (!kinds?.length) return null;
  return (
    <>
      <KindTicks label="Lines in the file" kinds={kinds} left={left} setLeft={setLeft} />
      {ticked.length > 0 && (
        <a
          href={`/api/plates/${plate.id}/companion?${ticked.map((kind) => `kinds=${kind}`).join("&")}`}
          download
          className="flex min-h-[36px] items-center justify-between border-b border-rule font-semibold text-pine hover:underline"
        >
          Save one file with the finish lines in it
        </a>
      )}
    </>
  );
}
