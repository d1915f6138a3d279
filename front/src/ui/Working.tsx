import type { Progress } from "../api/tasks";
import { Button } from "./Button";

/** Progress with a number, and a way out. */
export function Working({ progress, cancel, stopWords = "Stop" }: { progress: Progress; cancel?: () => void; stopWords?: string }) {
  return (
    <div className="rounded-[6px] border border-rule bg-white px-3.5 py-2" role="status">
      <div className="flex justify-between gap-3">
        <span>{progress.words}</span>
        <span className="font-semibold whitespace-nowrap">{Math.round(progress.share * 100)} %</span>
      </div>
      <div className="mt-1.5 h-1.5 rounded-full bg-kraft-wash">
        <div className="h-full rounded-full bg-kraft" style={{ width: `${progress.share * 100}%` }} />
      </div>
      {cancel && (
        <div className="mt-2 flex">
          <Button onClick={cancel}>{stopWords}</Button>
        </div>
      )}
    </div>
  );
}
