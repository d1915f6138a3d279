import { useQuery } from "@tanstack/react-query";
import { Popover } from "radix-ui";
import { useDeferredValue, useState } from "react";
import { designsNamed } from "../api/keys";
import { buttonLook, Key } from "../ui/Button";
import { useLooksOnly } from "../ui/looksOnly";
import { DesignTile } from "./NewRun";

type Item = { design_id: number; count: number };

type Props = { open: boolean; setOpen: (open: boolean) => void; items: Item[]; add: (items: Item[]) => void };

/** Designs that are not in the run yet, to be put in with their count. */
export function AddDesigns({ open, setOpen, items, add }: Props) {
  const [text, setText] = useState("");
  const { data: designs } = useQuery(designsNamed(useDeferredValue(text)));
  const rest =
    designs?.filter(
      (design) => design.width_mm !== null && design.due_count > 0 && !items.some(({ design_id }) => design_id === design.id),
    ) ?? [];
  return (
    <Popover.Root open={open} onOpenChange={setOpen}>
      <Popover.Trigger disabled={useLooksOnly()} className={`${buttonLook} h-9 px-3.5`}>
        Add designs <Key>A</Key>
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content align="end" sideOffset={6} className="w-[460px] rounded-[8px] border border-rule bg-paper p-3 shadow-xl">
          <input
            aria-label="Name of a design, job or customer"
            placeholder="Name of a design, job or customer"
            value={text}
            onChange={(event) => setText(event.target.value)}
            className="mb-2 h-9 w-full rounded-[5px] border border-rule bg-white px-2.5"
          />
          {rest.length === 0 ? (
            <p className="p-2 text-slate">
              {text ? "Nothing else has that name." : "Every design of an open job is in this run already. Drop new art into Lines."}
            </p>
          ) : (
            <div className="grid max-h-[360px] grid-cols-4 gap-2 overflow-y-auto">
              {rest.map((design) => (
                <DesignTile
                  key={design.id}
                  design={design}
                  on={false}
                  toggle={() => add([...items, { design_id: design.id, count: design.due_count }])}
                />
              ))}
            </div>
          )}
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}
