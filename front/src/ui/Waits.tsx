import { useWaited } from "../api/waiting";
import { sheetLook } from "./look";

/** Said over the page while there is no answer, so that nobody takes an empty page for the truth, or presses again. */
export function Waits() {
  const seconds = useWaited();
  return (
    <div role="status" className="pointer-events-none fixed inset-x-0 top-[62px] z-40 flex justify-center">
      {seconds > 0 && (
        <p className={`px-4 py-2.5 ${sheetLook}`}>
          <b className="font-semibold">
            No answer <span aria-hidden="true">for {seconds} s</span>.
          </b>{" "}
          Etiquette, its database or a machine that is asked is busy. Leave this page open: it goes on by itself, and what you pressed is
          still on its way.
        </p>
      )}
    </div>
  );
}
