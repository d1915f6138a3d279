import { lazy, Suspense, useState } from "react";
import { Navigate, Route, Routes, useLocation, useNavigate } from "react-router";
import { Bar, STATIONS } from "./ui/Bar";
import { Broken } from "./ui/Broken";
import { useKeys } from "./ui/keys";
import { Find, KeySheet } from "./ui/Sheets";
import { Waits } from "./ui/Waits";
import { Floor } from "./floor/Floor";
import { ManyFiles } from "./lines/ManyFiles";

const Help = lazy(() => import("./help/Help"));
const Job = lazy(() => import("./floor/Job"));
const Records = lazy(() => import("./floor/Records"));
const Jobs = lazy(() => import("./floor/Jobs"));
const Lines = lazy(() => import("./lines/Lines"));
const LookOver = lazy(() => import("./lines/over/LookOver"));
const FoldStation = lazy(() => import("./lines/fold/FoldStation"));
const Forms = lazy(() => import("./lines/fold/Forms"));
const TilesStation = lazy(() => import("./lines/tiles/TilesStation"));
const RowsStation = lazy(() => import("./lines/rows/RowsStation"));
const Run = lazy(() => import("./run/Run"));
const WebStation = lazy(() => import("./run/web/WebStation"));
const Webs = lazy(() => import("./run/web/Webs"));
const Print = lazy(() => import("./print/Print"));
const Bench = lazy(() => import("./bench/Bench"));
const SetUp = lazy(() => import("./shelf/setup/SetUp"));
const Shelf = lazy(() => import("./shelf/Shelf"));
const People = lazy(() => import("./people/People"));

export function App() {
  const navigate = useNavigate();
  const { pathname } = useLocation();
  const [sheet, setSheet] = useState<"keys" | "find" | null>(null);
  const [help, setHelp] = useState(false);
  useKeys({
    ...Object.fromEntries(STATIONS.map(([path], index) => [String(index + 1), () => void navigate(`/${path}`)])),
    "?": () => setSheet("keys"),
    "ctrl+k": () => setSheet("find"),
    F1: () => setHelp((open) => !open),
  });
  return (
    <div className="flex h-full min-w-[760px] flex-col">
      <Bar find={() => setSheet("find")} help={() => setHelp(!help)} />
      <div className="flex min-h-0 flex-1">
        {help && (
          <Suspense fallback={null}>
            <Help close={() => setHelp(false)} />
          </Suspense>
        )}
        <Broken view={pathname}>
          <Suspense fallback={null}>
            <Routes>
              <Route path="/" element={<Navigate to="/floor" replace />} />
              <Route path="/floor" element={<Floor />} />
              <Route path="/floor/jobs" element={<Jobs />} />
              <Route path="/floor/job/:id" element={<Job />} />
              <Route path="/floor/records" element={<Records />} />
              <Route path="/lines/:id/rows" element={<RowsStation />} />
              <Route path="/lines/:id/tiles" element={<TilesStation />} />
              <Route path="/lines/:id/fold" element={<FoldStation />} />
              <Route path="/lines/job/:job" element={<LookOver />} />
              <Route path="/lines/forms" element={<Forms />} />
              <Route path="/lines/:id?" element={<Lines />} />
              <Route path="/run/web" element={<Webs />} />
              <Route path="/run/web/:id" element={<WebStation />} />
              <Route path="/run/:id?" element={<Run />} />
              <Route path="/print/:id?" element={<Print />} />
              <Route path="/bench/:id?" element={<Bench />} />
              <Route path="/shelf" element={<Shelf />} />
              <Route path="/set-up" element={<SetUp />} />
              <Route path="/people" element={<People />} />
              <Route path="*" element={<Navigate to="/floor" replace />} />
            </Routes>
          </Suspense>
        </Broken>
      </div>
      <ManyFiles />
      <Waits />
      <KeySheet open={sheet === "keys"} close={() => setSheet(null)} />
      <Find open={sheet === "find"} close={() => setSheet(null)} showKeys={() => setSheet("keys")} />
    </div>
  );
}
