import { useState } from "react";
import { useShelf } from "../../api/useShelf";
import { TextField } from "../../ui/Field";
import { AddressAndWho, LengthOf, NameOf, Nearby, Panel, Question, useInHand, useSet } from "./parts";
import { cutters, type Finding, findingOf, type Shelf, type Ways, wayOf } from "./shop";

type Way = "network" | "cable" | "usb" | "folder";
const WAYS = [
  { value: "network", title: "Network", words: "type its address" },
  { value: "cable", title: "Cable", words: "a port of this computer" },
  { value: "usb", title: "USB", words: "a device file of this computer" },
  { value: "folder", title: "It fetches files", words: "from a folder, by code" },
] as const;
const SCHEMES: Ways<Way> = {
  network: { schemes: ["socket", "rfc2217"], like: "socket://host:port" },
  cable: { schemes: ["serial"], like: "serial:/dev/ttyUSB0?baud=9600" },
  usb: { schemes: ["usb"], like: "usb:/dev/usb/lp0" },
  folder: { schemes: ["folder"], like: "folder:/path" },
};
const FINDINGS = [
  { value: "head", title: "A camera on its head", words: "Etiquette reads the marks" },
  { value: "hand", title: "I lead the head", words: "to each mark, with arrows or its own keys" },
  { value: "photo", title: "A photo", words: "from a camera over the table" },
  { value: "itself", title: "By itself", words: "aligns itself; cannot correct bow" },
] as const;

export function CutterQuestions({ shelf }: { shelf: Shelf }) {
  const { there, one, choose, put } = useInHand("cutter", cutters(shelf));
  const set = useSet("cutter", one);
  const [picked, pick] = useState<{ way?: Way; finding?: Finding }>({});
  const way = picked.way ?? (one ? wayOf(SCHEMES, one.address) : null);
  const answer = (next: Way) => {
    pick({ way: next });
    if (!one) put({ name: "Cutter" });
    else if (one.address && wayOf(SCHEMES, one.address) !== next) set({ address: "" });
  };
  return (
    <Panel
      rows={there}
      chosen={one}
      choose={(id) => {
        pick({});
        choose(id);
      }}
      words="A cutter"
      more={{ words: "One more cutter", add: () => put() }}
    >
      <Question title="How is it connected?" answers={WAYS} value={way} onChange={answer} />
      {one && (way === "cable" || way === "usb") && (
        <Nearby
          kind="cutter"
          schemes={SCHEMES[way].schemes}
          take={(_, address) => set({ address: way === "cable" ? `${address}?baud=9600` : address })}
        />
      )}
      {one && way && <AddressAndWho key={one.id} kind="cutter" entry={one} address={one.address} like={SCHEMES[way].like} />}
      {one && <HowItFinds one={one} finding={picked.finding ?? findingOf(one)} pick={(finding) => pick({ ...picked, finding })} />}
      {one && <Marks shelf={shelf} />}
      {one && (
        <div className="mt-4 flex flex-wrap gap-3">
          <NameOf one={one} set={set} />
          <LengthOf label="Reads across" value={one.reach_across_mm} set={(reach_across_mm) => set({ reach_across_mm })} />
          <LengthOf label="Reads along" value={one.reach_along_mm} set={(reach_along_mm) => set({ reach_along_mm })} />
        </div>
      )}
    </Panel>
  );
}

/** How the cutter finds the print: by an eye that it has, or by hand. */
function HowItFinds({ one, finding, pick }: { one: Shelf["cutter"][number]; finding: Finding; pick: (finding: Finding) => void }) {
  const set = useSet("cutter", one);
  const answer = (next: Finding) => {
    pick(next);
    const kept = { eye: next === "head" ? one.eye : "", table_eye: next === "photo" ? one.table_eye : "" };
    if (kept.eye !== one.eye || kept.table_eye !== one.table_eye) set(kept);
  };
  const field = finding === "head" ? "eye" : finding === "photo" ? "table_eye" : null;
  return (
    <>
      <Question title="How does it find the print?" answers={FINDINGS} value={finding} onChange={answer} />
      {field && (
        <div className="mt-3 w-[330px]">
          <div className="mb-1 text-[12px] text-slate">Address of the camera, like http://host:port</div>
          <TextField label="Address of the camera" value={one[field]} longest={300} onChange={(address) => set({ [field]: address })} />
        </div>
      )}
      {finding === "itself" && !one.address.startsWith("folder:") && (
        <p className="mt-3 text-slate">
          Then it fetches files from a folder: choose that above. One for each end is written, named by the code.
        </p>
      )}
    </>
  );
}

/** Which marks it reads: one of the beginnings, or what is on the Shelf already. */
function Marks({ shelf }: { shelf: Shelf }) {
  const { add } = useShelf();
  const there = shelf.mark_set.filter((row) => !row.away);
  const answers = [
    ...there.map((row) => ({ value: row.name, title: row.name, words: "on the Shelf" })),
    ...shelf.mark_presets
      .filter((name) => !there.some((row) => row.name === name))
      .map((name) => ({ value: name, title: name, words: "put it on" })),
  ];
  return (
    <Question
      title="Which marks?"
      answers={answers}
      value={there[0]?.name ?? null}
      onChange={(name) => !there.some((row) => row.name === name) && add.mutate({ kind: "mark_set", preset: name })}
    />
  );
}
