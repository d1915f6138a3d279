import { useState } from "react";
import { AddressAndWho, LengthOf, NameOf, Nearby, Panel, Question, useInHand, useSet } from "./parts";
import { type Shelf, type Ways, wayOf } from "./shop";

type Way = "network" | "folder" | "port" | "none";
const WAYS = [
  { value: "network", title: "Network", words: "it says what it holds and how it is" },
  { value: "folder", title: "A folder", words: "it fetches its files from there" },
  { value: "port", title: "Takes files at a port", words: "it says nothing back" },
  { value: "none", title: "Not from here", words: "files are saved and carried to it" },
] as const;
const SCHEMES: Ways<Way> = {
  network: { schemes: ["ipp", "ipps"], like: "ipp://host/ipp/print" },
  folder: { schemes: ["folder"], like: "folder:/path" },
  port: { schemes: ["socket"], like: "socket://host:9100" },
  none: { schemes: [], like: "" },
};

export function PrinterQuestions({ shelf }: { shelf: Shelf }) {
  const { there, one, choose, put } = useInHand("printer", shelf.printer);
  const set = useSet("printer", one);
  const [picked, pick] = useState<Way | null>(null);
  const way = picked ?? (one ? (one.address ? wayOf(SCHEMES, one.address) : "none") : null);
  const answer = (next: Way) => {
    pick(next);
    if (!one) put({ name: "Printer" });
    else if (wayOf(SCHEMES, one.address) !== next && one.address) set({ address: "" });
  };
  return (
    <Panel
      rows={there}
      chosen={one}
      choose={(id) => {
        pick(null);
        choose(id);
      }}
      words="A printer"
      more={{ words: "One more printer", add: () => put() }}
    >
      <Question title="How is it connected?" answers={WAYS} value={way} onChange={answer} />
      {one && (way === "network" || way === "port") && (
        <Nearby
          kind="printer"
          schemes={SCHEMES[way].schemes}
          take={(name, address) => set(one.name.startsWith("Printer") ? { name: name.slice(0, 120), address } : { address })}
        />
      )}
      {one && way && way !== "none" && (
        <AddressAndWho key={one.id} kind="printer" entry={one} address={one.address} like={SCHEMES[way].like} />
      )}
      {one && way === "none" && (
        <p className="mt-3 text-slate">Its files are saved at Print, which then is told that they were printed elsewhere.</p>
      )}
      {one && (
        <div className="mt-4 flex flex-wrap gap-3">
          <NameOf one={one} set={set} />
          <LengthOf label="Prints across" value={one.print_width_mm} set={(print_width_mm) => set({ print_width_mm })} />
        </div>
      )}
    </Panel>
  );
}
