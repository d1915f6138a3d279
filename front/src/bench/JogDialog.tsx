import { keys } from "../api/keys";
import { Dialog } from "radix-ui";
import { keepPreviousData, useMutation, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, type Schemas, shown, told } from "../api/client";
import { sayProblem } from "../api/held";
import { Action, Key } from "../ui/Button";
import { figure } from "../ui/units";
import { dialogLook } from "../ui/look";

const STEPS: Record<string, [number, number]> = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, 1], ArrowDown: [0, -1] };

/** Hands lead the head to a mark it did not find: arrows move it, a click goes there, Enter takes what lies under the cross. */
export function JogDialog({
  sheet,
  mark,
  close,
  taken,
}: {
  sheet: number;
  mark: string;
  close: () => void;
  taken: (bench: Schemas["BenchShown"]) => void;
}) {
  const [place, setPlace] = useState<{ x: number; y: number } | null>(null);
  const path = { sheet_id: sheet, mark_id: mark };
  const { data: window, error } = useQuery({
    queryKey: keys.window(sheet, mark, place),
    queryFn: () => told(api.POST("/api/bench/{sheet_id}/marks/{mark_id}/window", { params: { path }, body: place ?? {} })),
    placeholderData: keepPreviousData,
    retry: false,
    refetchOnWindowFocus: false,
    gcTime: 0,
  });
  const take = useMutation({
    mutationFn: (at: { x: number; y: number }) =>
      shown<"BenchShown">(api.POST("/api/bench/{sheet_id}/marks/{mark_id}", { params: { path }, body: at })),
    onSuccess: (bench) => {
      taken(bench);
      close();
    },
    onError: sayProblem,
  });
  const at = place ?? window;
  const jog = (x: number, y: number) => at && setPlace({ x: at.x + x, y: at.y + y });
  const pressed = (event: React.KeyboardEvent) => {
    const step = STEPS[event.key];
    if (step) {
      event.preventDefault();
      const far = event.shiftKey ? 10 : event.ctrlKey ? 0.1 : 1;
      jog(step[0] * far, step[1] * far);
    } else if (event.key === "Enter" && at && !event.repeat && !take.isPending) {
      event.preventDefault();
      take.mutate({ x: at.x, y: at.y });
    }
  };
  const clicked = (event: React.MouseEvent) => {
    if (!window) return;
    const box = event.currentTarget.getBoundingClientRect();
    const across = (event.clientX - box.left) / box.width - 0.5;
    const down = (event.clientY - box.top) / box.height - 0.5;
    setPlace({ x: window.x + across * window.side_mm, y: window.y - down * window.side_mm });
  };
  return (
    <Dialog.Root open onOpenChange={(open) => !open && close()}>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-20 bg-ink/30" />
        <Dialog.Content
          onKeyDown={pressed}
          aria-describedby={undefined}
          className={`fixed top-1/2 left-1/2 z-30 w-[480px] -translate-x-1/2 -translate-y-1/2 p-6 ${dialogLook}`}
        >
          <Dialog.Title className="text-[20px] font-bold">Mark {mark}: lead the head to it</Dialog.Title>
          <p className="mt-1 mb-3 text-slate">
            Bring the middle of the mark under the cross; a click goes there. What can be made out is then read exactly.
          </p>
          {error ? (
            <p role="alert">{error.message}</p>
          ) : (
            <button
              type="button"
              aria-label="What the head sees"
              onClick={clicked}
              className="relative block h-[432px] w-[432px] overflow-hidden rounded-[6px] bg-table"
            >
              {window && <img src={`data:image/png;base64,${window.png}`} alt="" className="h-full w-full" draggable={false} />}
              <svg viewBox="-100 -100 200 200" className="absolute inset-0" aria-hidden>
                <path d="M-100 0H-9M9 0H100M0-100V-9M0 9V100" stroke="var(--color-pine)" strokeWidth="1.2" fill="none" />
                <circle r="9" stroke="var(--color-pine)" strokeWidth="1.2" fill="none" />
              </svg>
            </button>
          )}
          <p className="mt-2.5 flex items-center gap-2 text-[12px] whitespace-nowrap text-slate">
            <Key>arrows</Key> 1 mm <Key>Shift</Key> 10 mm <Key>Ctrl</Key> 0.1 mm
            {at && (
              <span className="ml-auto font-code">
                {figure(at.x, 1)}, {figure(at.y, 1)} mm
              </span>
            )}
          </p>
          <div className="mt-3 flex gap-2">
            <Action onClick={close}>Leave it out</Action>
            <Action main hint="Enter" onClick={() => at && take.mutate({ x: at.x, y: at.y })} disabled={!at || take.isPending}>
              Take this place
            </Action>
          </div>
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}
