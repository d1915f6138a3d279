import { X } from "lucide-react";
import { useEffect, useState } from "react";
import { useLocation } from "react-router";
import { found, PAGES, type Station } from "./pages";
import { Picture } from "./pictures";

/** The page of the station that is open, beside the work; it can be searched through all stations. */
export default function Help({ close }: { close: () => void }) {
  const { pathname } = useLocation();
  const [text, setText] = useState("");
  const here = pathname.split("/")[1] ?? "";
  const page = PAGES.find((one) => one.station === here) ?? PAGES[["set-up", "people"].includes(here) ? 5 : 0]!;
  useEffect(() => {
    const pressed = (event: KeyboardEvent) => event.key === "Escape" && !event.defaultPrevented && close();
    window.addEventListener("keydown", pressed);
    return () => window.removeEventListener("keydown", pressed);
  }, [close]);
  return (
    <aside aria-label="Help" className="flex w-[300px] shrink-0 flex-col overflow-y-auto border-r border-rule bg-paper px-4 py-3">
      <div className="flex items-center justify-between">
        <h2 className="text-[16px]">Help: {page.title}</h2>
        <button
          type="button"
          aria-label="Close the help"
          onClick={close}
          className="flex size-9 items-center justify-center hover:text-pine"
        >
          <X aria-hidden="true" size={18} />
        </button>
      </div>
      <input
        type="search"
        aria-label="Search the help"
        placeholder="Search all stations"
        value={text}
        onChange={(event) => setText(event.target.value)}
        className="mt-1 h-9 w-full shrink-0 rounded-[5px] border border-rule bg-white px-2.5"
      />
      {text.trim() === "" && (
        <>
          <Picture station={page.station} />
          <p className="mt-2.5 text-[15px] leading-[21px]">{page.begin}</p>
        </>
      )}
      <Topics text={text} station={page.station} />
    </aside>
  );
}

function Topics({ text, station }: { text: string; station: Station }) {
  const topics = found(text, station);
  if (topics.length === 0) return <p className="mt-3 text-slate">Nothing is said of that. Try one word less.</p>;
  return (
    <>
      {topics.map(({ page, topic }) => (
        <section key={`${page.station} ${topic.title}`} className="mt-3.5">
          <h3 className="font-semibold">
            {topic.title}
            {page.station !== station && <span className="font-normal text-slate"> · {page.title}</span>}
          </h3>
          {topic.words.map((words) => (
            <p key={words} className="mt-1 leading-[19px]">
              {words}
            </p>
          ))}
        </section>
      ))}
    </>
  );
}
