import { useCallback, useEffect, useLayoutEffect, useState, type KeyboardEvent, type RefObject } from "react";
import { useQuery } from "@tanstack/react-query";
import { api, type Area, type Cut } from "../api/client";
import type { Plan } from "../generated/Plan";
import type { Paper } from "./drawing";

const FINEST = 2000;
const COARSEST = 0.2;

export interface PaperView {
  size: { w: number; h: number };
  paper: Paper;
  setPaper: (to: (before: Paper) => Paper) => void;
  toScreen: (x: number, y: number) => { left: number; top: number };
  /** Where on the paper a point of the page is. */
  toPaper: (clientX: number, clientY: number) => [number, number];
  viewBox: string;
  zoom: (factor: number) => void;
  plan: Plan | undefined;
  picture: string | null;
  area: Area;
}

/**
 * A drawing that is panned and zoomed. Its vectors are asked for anew once it is still: sharp at any zoom,
 * and a little larger than the window. The second axis of the paper runs down.
 */
export function usePaper(
  /** The element that shows it. */
  box: RefObject<HTMLDivElement | null>,
  project: number,
  /** Where the scene is cut; the second axis of a section is turned over. */
  cut: Cut,
  start: Paper,
  version: string,
): PaperView {
  const up = !("y" in cut);
  const [size, setSize] = useState({ w: 400, h: 300 });
  const [paper, setPaper] = useState(start);

  useLayoutEffect(() => {
    const element = box.current;
    if (!element) return;
    const measure = () => setSize({ w: element.clientWidth, h: element.clientHeight });
    const watcher = new ResizeObserver(measure);
    watcher.observe(element);
    return () => watcher.disconnect();
  }, [box]);

  const wheel = useCallback(
    (e: WheelEvent) => {
      e.preventDefault();
      const frame = box.current?.getBoundingClientRect();
      if (!frame) return;
      const [px, py] = [e.clientX - frame.left - frame.width / 2, e.clientY - frame.top - frame.height / 2];
      setPaper((c) => {
        const scale = Math.min(FINEST, Math.max(COARSEST, c.scale * Math.exp(-e.deltaY * 0.0015)));
        // What lies under the pointer stays there.
        return { scale, x: c.x + px / c.scale - px / scale, y: c.y + py / c.scale - py / scale };
      });
    },
    [box],
  );
  useEffect(() => {
    const element = box.current;
    element?.addEventListener("wheel", wheel, { passive: false });
    return () => element?.removeEventListener("wheel", wheel);
  }, [box, wheel]);

  const cutKey = JSON.stringify(cut);
  const [settled, setSettled] = useState({ paper, size, cut });
  useEffect(() => {
    const timer = setTimeout(() => setSettled({ paper, size, cut }), 150);
    return () => clearTimeout(timer);
    // The cut's text stands for it by value.
    // oxlint-disable-next-line react-hooks/exhaustive-deps
  }, [paper, size, cutKey]);
  const s = settled.paper;
  const [halfW, halfH] = [(settled.size.w * 0.75) / s.scale, (settled.size.h * 0.75) / s.scale];
  // On the server a section's height runs up.
  const middle = up ? -s.y : s.y;
  const area: Area = { x0: s.x - halfW, x1: s.x + halfW, z0: middle - halfH, z1: middle + halfH };
  const { data: plan } = useQuery({
    queryKey: ["plan", project, settled.cut, area, version],
    queryFn: () => api.plan(project, settled.cut, area, s.scale),
    placeholderData: (before) => before,
    gcTime: 10_000,
  });

  return {
    size,
    paper,
    setPaper,
    toScreen: (x, y) => ({
      left: (x - paper.x) * paper.scale + size.w / 2,
      top: (y - paper.y) * paper.scale + size.h / 2,
    }),
    toPaper: (clientX, clientY) => {
      const frame = box.current?.getBoundingClientRect();
      if (!frame) return [0, 0];
      return [
        paper.x + (clientX - frame.left - frame.width / 2) / paper.scale,
        paper.y + (clientY - frame.top - frame.height / 2) / paper.scale,
      ];
    },
    viewBox: `${paper.x - size.w / 2 / paper.scale} ${paper.y - size.h / 2 / paper.scale} ${size.w / paper.scale} ${size.h / paper.scale}`,
    zoom: (factor) =>
      setPaper((c) => ({ ...c, scale: Math.min(FINEST, Math.max(COARSEST, c.scale * factor)) })),
    plan,
    picture: api.planPicture(project, settled.cut, area, 640, version),
    area,
  };
}

/** Moves a drawing by arrow keys and zooms it by plus and minus; whether the key was one of them. `step` in pixels. */
export function movedByKey(e: KeyboardEvent, view: PaperView, step: number): boolean {
  const by = step / view.paper.scale;
  const way = { ArrowLeft: [-by, 0], ArrowRight: [by, 0], ArrowUp: [0, -by], ArrowDown: [0, by] }[e.key];
  if (way) view.setPaper((c) => ({ ...c, x: c.x + (way[0] ?? 0), y: c.y + (way[1] ?? 0) }));
  else if (e.key === "+" || e.key === "=") view.zoom(1.25);
  else if (e.key === "-") view.zoom(0.8);
  else return false;
  e.preventDefault();
  return true;
}
