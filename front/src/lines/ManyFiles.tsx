import { Popover } from "radix-ui";
import { useEffect } from "react";
import { useNavigate } from "react-router";
import { toast } from "sonner";
import { Button } from "../ui/Button";
import { sheetLook } from "../ui/look";
import { figure } from "../ui/units";
import { close, goOn, type Refused, skip, stop, useManyFiles } from "./takingMany";

const BAR =
  "h-1.5 w-[160px] shrink-0 overflow-hidden rounded-full bg-rule [&::-webkit-progress-bar]:bg-rule " +
  "[&::-webkit-progress-value]:bg-kraft [&::-moz-progress-bar]:bg-kraft";
const LOOK_OVER = "Look over all of it";
/** So many of what was refused are listed; all of it can be copied. */
const LISTED = 200;

/** Below every page while many files are taken in, and until it is seen which were not. */
export function ManyFiles() {
  const { all, answered, designs, job, now, refused, unsent, held, going } = useManyFiles();
  const navigate = useNavigate();
  useStayHere(going);
  const whole = all > 0 && !going && refused.length === 0 && unsent.length === 0;
  useEffect(() => {
    if (!whole) return;
    const over = { label: LOOK_OVER, onClick: () => void navigate(`/lines/job/${job}`) };
    toast(`${counted(designs, "design was", "designs were")} taken in.`, job === null ? {} : { action: over, duration: 10_000 });
    close();
  }, [whole, designs, job, navigate]);
  if (all === 0 || whole) return null;
  return (
    <section aria-label="Taking in art" className="shrink-0 border-t border-rule bg-paper px-6 py-2">
      <div className="flex min-h-9 items-center gap-4">
        {going ? (
          <>
            <b className="w-[220px] shrink-0 font-semibold">
              Taking in art: {figure(answered, 0)} of {figure(all, 0)}
            </b>
            <progress value={answered} max={all} aria-label="Files taken in" className={BAR} />
            {held ? (
              <span role="alert" className="min-w-0 flex-1">
                <b className="font-semibold text-stop">Stopped at {now || "the start"}.</b> {held}
              </span>
            ) : (
              <span className="min-w-0 flex-1 truncate text-slate">{now}</span>
            )}
          </>
        ) : (
          <span role="status" className="min-w-0 flex-1">
            <b className="font-semibold">{counted(designs, "design was", "designs were")} taken in.</b> {notIn(refused, unsent)}
          </span>
        )}
        {refused.length > 0 && <NotTakenIn refused={refused} />}
        {held && <Button onClick={goOn}>Send it again</Button>}
        {held && now && <Button onClick={skip}>Leave it out</Button>}
        {!going && job !== null && <Button onClick={() => (close(), void navigate(`/lines/job/${job}`))}>{LOOK_OVER}</Button>}
        {going ? <Button onClick={stop}>Stop</Button> : <Button onClick={close}>Close</Button>}
      </div>
    </section>
  );
}

const counted = (count: number, one: string, many: string) => `${count === 0 ? "No" : figure(count, 0)} ${count === 1 ? one : many}`;

function notIn(refused: Refused[], unsent: string[]): string {
  const words = [];
  if (refused.length > 0) words.push(`${counted(refused.length, "file was", "files were")} refused.`);
  if (unsent.length > 0)
    words.push(`${counted(unsent.length, "file was", "files were")} not sent, from ${unsent[0] ?? ""} on: drop them once more to go on.`);
  return words.join(" ");
}

/** Which files were refused and why, to be read or copied into a letter to whoever sent them. */
function NotTakenIn({ refused }: { refused: Refused[] }) {
  const copy = () => {
    const text = refused.map(({ path, why }) => `${path}: ${why}`).join("\n");
    navigator.clipboard.writeText(text).then(
      () => toast("The list was copied."),
      () => toast.error("The browser does not let the list be copied."),
    );
  };
  return (
    <Popover.Root>
      <Popover.Trigger asChild>
        <Button>
          <span className="text-stop">{figure(refused.length, 0)} refused</span>
        </Button>
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          align="end"
          side="top"
          sideOffset={10}
          className={`w-[520px] p-4 ${sheetLook}`}
          aria-label="Files that were refused"
        >
          <ul className="max-h-[360px] overflow-y-auto">
            {refused.slice(0, LISTED).map(({ path, why }, place) => (
              <li key={place} className="border-b border-rule py-2 last:border-b-0">
                <b className="block break-all font-semibold">{path}</b>
                <span className="text-slate">{why}</span>
              </li>
            ))}
          </ul>
          <div className="mt-3 flex items-center justify-between gap-3">
            <span className="text-slate">{refused.length > LISTED && `and ${figure(refused.length - LISTED, 0)} more`}</span>
            <Button onClick={copy}>Copy the list</Button>
          </div>
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}

/** The browser asks before the page is left while files wait to be sent: they would have to be dropped again. */
function useStayHere(going: boolean) {
  useEffect(() => {
    if (!going) return;
    const ask = (event: BeforeUnloadEvent) => event.preventDefault();
    window.addEventListener("beforeunload", ask);
    return () => window.removeEventListener("beforeunload", ask);
  }, [going]);
}
