import { select } from "d3-selection";
import { zoom, type ZoomBehavior, zoomIdentity, type ZoomTransform, zoomTransform } from "d3-zoom";
import { type RefObject, useCallback, useEffect, useRef, useState } from "react";

/** Wheel to zoom at the pointer, drag to pan; `fit` goes back to the whole. The element's own pixels are the unit. `still`
 * says which presses are for something else than panning. */
export function useZoom<T extends Element>(
  target: RefObject<T | null>,
  most = 60,
  still?: (event: MouseEvent) => boolean,
): { transform: ZoomTransform; fit: () => void; to: (x: number, y: number, scale: number) => void; shift: (x: number) => void } {
  const [transform, setTransform] = useState(zoomIdentity);
  const holds = useRef(still);
  useEffect(() => {
    holds.current = still;
  });
  const behaviour = useRef<ZoomBehavior<T, unknown> | null>(null);
  useEffect(() => {
    if (!target.current) return;
    const made = zoom<T, unknown>()
      .scaleExtent([0.5, most])
      // what is drawn over the view with a hand of its own says so
      .filter(
        (event: MouseEvent) =>
          !event.button && !(event.target as Element).closest("[data-still]") && !(event.type !== "wheel" && holds.current?.(event)),
      )
      .on("zoom", (event: { transform: ZoomTransform }) => setTransform(event.transform));
    behaviour.current = made;
    const chosen = select(target.current);
    chosen.call(made).on("dblclick.zoom", null);
    return () => {
      chosen.on(".zoom", null);
    };
  }, [target, most]);
  const fit = useCallback(() => {
    if (target.current && behaviour.current) select(target.current).call(behaviour.current.transform, zoomIdentity);
  }, [target]);
  /** Bring the point (x, y), in pixels of the whole view, to the middle at a scale. */
  const to = useCallback(
    (x: number, y: number, scale: number) => {
      const element = target.current;
      if (!element || !behaviour.current) return;
      const { width, height } = element.getBoundingClientRect();
      select(element).call(
        behaviour.current.transform,
        zoomIdentity
          .translate(width / 2, height / 2)
          .scale(scale)
          .translate(-x, -y),
      );
    },
    [target],
  );
  /** Move sideways so that the left end of the whole stands at `x`. */
  const shift = useCallback(
    (x: number) => {
      const element = target.current;
      if (!element || !behaviour.current) return;
      const { k, y } = zoomTransform(element);
      select(element).call(behaviour.current.transform, zoomIdentity.translate(x, y).scale(k));
    },
    [target],
  );
  return { transform, fit, to, shift };
}

const REST_MS = 140;

/** The last transform that stayed as it was for a moment: what is worth drawing anew. */
export function useSettled(transform: ZoomTransform): ZoomTransform {
  const [settled, setSettled] = useState(transform);
  useEffect(() => {
    const timer = setTimeout(() => setSettled(transform), REST_MS);
    return () => clearTimeout(timer);
  }, [transform]);
  return settled;
}

/** The size of an element in pixels, kept up to date. */
export function useSize<T extends Element>(target: RefObject<T | null>): [number, number] {
  const [size, setSize] = useState<[number, number]>([0, 0]);
  useEffect(() => {
    if (!target.current) return;
    const observer = new ResizeObserver(([entry]) => {
      if (entry) setSize([entry.contentRect.width, entry.contentRect.height]);
    });
    observer.observe(target.current);
    return () => observer.disconnect();
  }, [target]);
  return size;
}
