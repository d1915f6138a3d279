import type { BenchSheet } from "../api/useSheet";
import { Card } from "../ui/Card";
import { figure } from "../ui/units";

const WORDS = { go: "Go", check: "Check", stop: "Stop" } as const;
const TONES = { go: "text-go", check: "text-check-text", stop: "text-stop", plain: "" } as const;

function Said({ tone = "plain", children }: { tone?: keyof typeof TONES; children: string }) {
  return <div className={`text-[34px] leading-10 font-bold ${TONES[tone]}`}>{children}</div>;
}

/** What is to be said of the sheet first: how to lay it, how well it will be cut, how well it was. */
export function Verdict({ bench, reading }: { bench: BenchSheet; reading: boolean }) {
  const { state } = bench.sheet;
  if (state === "cut" && !bench.report) return <CutThere />;
  if (bench.report) return <CutResult bench={bench} report={bench.report} />;
  if (bench.reading) return <Expected bench={bench} fit={bench.reading.fit} />;
  const laid = state === "loaded" || state === "read";
  const coded = bench.plan.codes.length > 0;
  const told = coded && (bench.has_eye || bench.has_camera) ? "the code tells" : "say which one does";
  return (
    <Card>
      <Said>{reading ? "Reading" : laid ? "Loaded" : "Load it"}</Said>
      <p className="mt-1 text-[18px] leading-6">
        {laid
          ? bench.pointing
            ? `${bench.cutter} has no eye: show it each mark before anything is cut.`
            : `The head waits near the first ${coded ? "code" : "mark"}. Read the marks before anything is cut.`
          : `Printed side up, flat and square, the edge at the loading line. Either end may go first: ${told}.`}
      </p>
      {!coded && (
        <p className="mt-1 text-check-text">
          This page has no code: nothing but what you say tells it from another, and its head from its tail.
        </p>
      )}
    </Card>
  );
}

function CutThere() {
  return (
    <Card>
      <Said>Cut</Said>
      <p className="mt-1 text-[14px]">
        The printer cut it with its own knife: no marks to read, nothing to load. Count the good pieces below.
      </p>
    </Card>
  );
}

function Expected({ bench, fit }: { bench: BenchSheet; fit: NonNullable<BenchSheet["reading"]>["fit"] }) {
  return (
    <Card tone={fit.verdict} label="Verdict">
      <Said tone={fit.verdict}>{WORDS[fit.verdict]}</Said>
      <p className="text-[14px]">
        the cut lands within <b className="text-[15px] font-semibold">{figure(fit.predicted_error_mm.max, 2)} mm</b>
      </p>
      {bench.plan.codes.length === 0 && (
        <p className="mt-1 text-check-text">No code says so: make sure that it is this page, and lies {fit.load} first.</p>
      )}
      <p className="text-[12px] text-slate">this run allows {figure(bench.tolerance_mm, 2)} mm</p>
    </Card>
  );
}

function CutResult({ bench, report }: { bench: BenchSheet; report: NonNullable<BenchSheet["report"]> }) {
  if (!report.cut || !report.without) {
    return (
      <Card tone="go" label="Cut">
        <Said tone="go">Cut</Said>
        <p className="text-[14px]">
          {bench.reading && `It was to land within ${figure(bench.reading.fit.predicted_error_mm.max, 2)} mm. `}
          {report.unseen ?? "Look at the sheet, then mark what is spoiled."}
        </p>
      </Card>
    );
  }
  const tone = report.cut.worst_mm <= bench.tolerance_mm ? "go" : "stop";
  return (
    <Card tone={tone} label="Cut">
      <Said tone={tone}>{tone === "go" ? "Cut" : "Cut, but off"}</Said>
      <p className="text-[14px]">
        worst miss <b className="text-[15px] font-semibold">{figure(report.cut.worst_mm, 2)} mm</b>
      </p>
      <p className="text-[12px] font-semibold">true miss: only a simulation knows it</p>
      <p className="text-[12px] text-slate">
        median {figure(report.cut.median_mm, 3)} mm · p95 {figure(report.cut.p95_mm, 3)} mm
      </p>
      <p className="mt-1.5 text-[12px]">
        Placed by one mark without the fit it would have missed by {figure(report.without.worst_mm, 1)} mm.
      </p>
    </Card>
  );
}
