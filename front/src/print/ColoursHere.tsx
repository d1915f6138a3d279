import { useQuery } from "@tanstack/react-query";
import { api, told } from "../api/client";
import { keys } from "../api/keys";
import { Button } from "../ui/Button";
import { Row } from "../ui/Row";
import { figure } from "../ui/units";

/** What the trade calls the inks. */
const LETTERS: Record<string, string> = { cyan: "C", magenta: "M", yellow: "Y", black: "K", red: "R", green: "G", blue: "B" };

/** The colours at the place that was pressed: in the art, in the plate, on the stock. */
export function ColoursHere({ plate, x, y, close }: { plate: number; x: number; y: number; close: () => void }) {
  const { data, error } = useQuery({
    queryKey: keys.placeColours(plate, x, y),
    queryFn: () => told(api.GET("/api/plates/{plate_id}/colours", { params: { path: { plate_id: plate }, query: { x, y } } })),
  });
  return (
    <section aria-label="Colour here" className="mt-3 rounded-[6px] border border-rule bg-white p-3">
      <h2 className="flex items-center justify-between whitespace-nowrap">
        Colour here
        <Button looks narrow aria-label="Close the colour" title="Close" onClick={close}>
          ×
        </Button>
      </h2>
      {error && <p className="text-stop">{error.message}</p>}
      {!error && !data && <p className="text-slate">Separating this place</p>}
      {data && (
        <>
          <div className="mt-1.5 flex overflow-hidden rounded-[4px] border border-rule text-[12px]">
            <Swatch words="in the art" lab={data.art} />
            <Swatch words="on the stock" lab={data.stock} />
          </div>
          <p className={`mt-1.5 font-semibold ${data.reached ? "text-go" : "text-check-text"}`}>
            {data.reached ? `✓ Comes out within ${figure(data.apart, 1)}` : `! Out of reach by ${figure(data.apart, 1)}`}
            <span className="font-normal text-slate"> (ΔE 2000)</span>
          </p>
          <Row label="Plate, %">
            {Object.entries(data.plate)
              .map(([ink, share]) => `${LETTERS[ink] ?? ink} ${figure(share, 0)}`)
              .join("  ")}
          </Row>
          <Row label="Art, L a b">{data.art.map((one) => figure(one, 0)).join("  ")}</Row>
          <Row label="Stock, L a b">{data.stock.map((one) => figure(one, 0)).join("  ")}</Row>
        </>
      )}
    </section>
  );
}

function Swatch({ words, lab }: { words: string; lab: number[] }) {
  const dark = (lab[0] ?? 100) < 55;
  return (
    <div
      className={`flex h-11 flex-1 items-end px-2 pb-1 ${dark ? "text-white" : "text-ink"}`}
      style={{ background: `lab(${lab.join(" ")})` }}
    >
      {words}
    </div>
  );
}
