import { useMutation, useQueryClient } from "@tanstack/react-query";
import { GripVertical } from "lucide-react";
import { useState } from "react";
import { Link } from "react-router";
import { api, type Schemas, told } from "../api/client";
import { sayProblem } from "../api/held";
import { holdInLine } from "../api/usePrint";
import { Button } from "../ui/Button";
import { Section } from "../ui/Row";
import { figure } from "../ui/units";

type Machine = Schemas["MachineShown"];
type InLine = Schemas["InLineShown"];

const LAMP: Record<Machine["tone"], string> = {
  good: "rounded-full bg-go",
  look: "rounded-[2px] bg-check",
  stop: "rotate-45 bg-stop",
};

const SAID: Record<Machine["tone"], string> = { good: "text-slate", look: "text-check-text", stop: "font-semibold text-stop" };

/** Every printer and cutter: what it is at, what it wants, and what waits for it. */
export function Machines({ machines }: { machines: Machine[] }) {
  if (machines.length === 0) return null;
  return (
    <Section title="Machines">
      {machines.map((machine) => (
        <MachineRow key={`${machine.kind} ${machine.id}`} machine={machine} />
      ))}
    </Section>
  );
}

function MachineRow({ machine }: { machine: Machine }) {
  const [open, setOpen] = useState(false);
  const waits = machine.waits > 0 ? `${figure(machine.waits, 0)} ${machine.waits === 1 ? "waits" : "wait"}` : "";
  const line = machine.line.filter((one) => one.waits);
  return (
    <div className="border-b border-rule py-2">
      <div className="flex items-center gap-2">
        <span aria-hidden="true" className={`h-2.5 w-2.5 shrink-0 ${LAMP[machine.tone]}`} />
        <Link to={`/shelf?${machine.kind}=${machine.id}`} className="min-w-0 flex-1 truncate font-semibold hover:text-pine">
          {machine.name}
        </Link>
        {line.length > 0 ? (
          <button
            type="button"
            aria-expanded={open}
            aria-label={`What waits for ${machine.name}`}
            onClick={() => setOpen(!open)}
            className="min-h-7 text-[12px] font-semibold text-pine hover:underline"
          >
            {waits}
          </button>
        ) : (
          <span className="text-[12px] text-slate">{waits}</span>
        )}
      </div>
      <p className={`pl-[18px] text-[12px] ${SAID[machine.tone]}`}>{machine.words}</p>
      {machine.share !== null && (
        <div className="mt-1 ml-[18px] h-[5px] overflow-hidden rounded-full bg-rule/70">
          <div className="h-full bg-kraft" style={{ width: `${Math.round(machine.share * 100)}%` }} />
        </div>
      )}
      {open && line.length > 0 && <Line name={machine.name} line={line} />}
    </div>
  );
}

/** What waits for a printer, in its order: dragged, or moved by its buttons; held, so that others come first. */
function Line({ name, line }: { name: string; line: InLine[] }) {
  const queries = useQueryClient();
  const [dragged, setDragged] = useState<number | null>(null);
  const ended = { onSettled: () => void queries.invalidateQueries({ queryKey: ["floor"] }), onError: sayProblem };
  const place = useMutation({
    mutationFn: ({ task_id, to }: { task_id: number; to: number }) =>
      told(api.PUT("/api/queue/{task_id}/place", { params: { path: { task_id } }, body: { place: to } })),
    ...ended,
  });
  const hold = useMutation({ mutationFn: holdInLine, ...ended });
  const drop = (to: number) => {
    if (dragged !== null && line[to]?.task_id !== dragged) place.mutate({ task_id: dragged, to });
    setDragged(null);
  };
  return (
    <ol aria-label={`Queue of ${name}`} className="mt-1.5 ml-[18px]">
      {line.map((one, at) => (
        <li
          key={one.task_id}
          draggable
          onDragStart={(event) => {
            event.dataTransfer.setData("text/plain", one.name); // some browsers drag nothing that carries nothing
            setDragged(one.task_id);
          }}
          onDragOver={(event) => event.preventDefault()}
          onDrop={(event) => {
            event.preventDefault(); // and go to what is dropped
            drop(at);
          }}
          className={`flex min-h-9 items-center gap-1 border-t border-rule ${dragged === one.task_id ? "opacity-50" : ""}`}
        >
          <GripVertical aria-hidden="true" size={14} className="shrink-0 cursor-grab text-slate" />
          <Link to={`/print/${one.run_id}`} className="min-w-0 flex-1 truncate text-[12px] hover:text-pine">
            {one.name}
          </Link>
          {at > 0 && (
            <Button narrow aria-label={`${one.name} next`} onClick={() => place.mutate({ task_id: one.task_id, to: 0 })}>
              Next
            </Button>
          )}
          <Button narrow aria-label={`Hold ${one.name}`} onClick={() => hold.mutate(one.task_id)}>
            Hold
          </Button>
        </li>
      ))}
    </ol>
  );
}
