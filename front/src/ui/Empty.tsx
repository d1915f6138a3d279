import type { ReactNode } from "react";
import { Link } from "react-router";
import { pineLook } from "./look";

type Props = { label: string; title: string; to: string; action: string; children: ReactNode };

/** A place with nothing to show: why, and the way on. */
export function Empty({ label, title, to, action, children }: Props) {
  return (
    <main className="flex flex-1 items-center justify-center" aria-label={label}>
      <div className="w-[560px] rounded-[8px] border border-rule bg-paper p-7">
        <h1>{title}</h1>
        <p className="mt-2 mb-5 text-[15px] leading-6">{children}</p>
        <Link to={to} className={`flex h-[52px] items-center rounded-[6px] px-4 text-[16px] font-semibold ${pineLook}`}>
          {action}
        </Link>
      </div>
    </main>
  );
}
