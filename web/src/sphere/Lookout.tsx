import { useEffect, useLayoutEffect, useRef, useState } from "react";
import type { SphereView } from "./SphereView";
import type { View } from "./geometry";

interface Props {
  picture: Blob | null;
  /** A film in place of a picture, with the shares of the sphere that it misses and the part of the picture that is the eye's. */
  film?: { video: HTMLVideoElement; bounds: readonly number[]; part: readonly number[] } | null;
  view: View;
  /** How far the middle that the view is relative to lies to the right of the picture's, degrees. */
  turned?: number;
  /** Detail is kept by mip maps; worth it for pictures that do not change. */
  sharp?: boolean;
  onView: (view: View) => void;
  onLoaded?: (width: number) => void;
  onProblem?: (sentence: string) => void;
  label: string;
  /** Says below what it is. */
  caption?: boolean;
  className?: string;
}

const NARROWEST = 20;
const WIDEST = 120;

const held = (v: View): View => ({
  lon: ((((v.lon + 180) % 360) + 360) % 360) - 180,
  lat: Math.max(-90, Math.min(90, v.lat)),
  hfov: Math.max(NARROWEST, Math.min(WIDEST, v.hfov)),
});

/** What a viewer would really see in one direction. Drag, wheel and keys move it. */
export function Lookout({
  picture,
  film,
  view,
  turned = 0,
  sharp = false,
  onView,
  onLoaded,
  onProblem,
  label,
  caption = false,
  className,
}: Props) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const [sphere, setSphere] = useState<SphereView | null>(null);
  const drag = useRef<{ x: number; y: number } | null>(null);
  const latest = useRef(view);
  const inPicture = useRef(view);
  const report = useRef({ onLoaded, onProblem });
  // Listeners that outlive a drawing of the page ask for what is true now.
  useLayoutEffect(() => {
    latest.current = view;
    inPicture.current = { ...view, lon: view.lon + turned };
    report.current = { onLoaded, onProblem };
  });

  useEffect(() => {
    let made: SphereView | null = null;
    let gone = false;
    // The 3D library is large; it is fetched when first needed.
    import("./SphereView").then(
      (module) => {
        if (gone || !canvas.current) return;
        try {
          made = new module.SphereView(canvas.current);
        } catch {
          report.current.onProblem?.(
            "This browser shows no WebGL 2; switch on graphics acceleration or use another one.",
          );
          return;
        }
        made.fit();
        made.look(inPicture.current);
        setSphere(made);
      },
      () =>
        report.current.onProblem?.(
          "A part of this page could not be loaded: the server does not answer, or is another version by now. Load the page again.",
        ),
    );
    return () => {
      gone = true;
      made?.dispose();
    };
  }, []);

  useEffect(() => {
    if (!sphere || !canvas.current) return;
    const watcher = new ResizeObserver(() => {
      sphere.fit();
      sphere.look(inPicture.current);
    });
    watcher.observe(canvas.current);
    return () => watcher.disconnect();
  }, [sphere]);

  useEffect(() => {
    if (!sphere || !picture) return;
    sphere
      .load(picture, sharp)
      .then((width) => report.current.onLoaded?.(width))
      .catch(() => report.current.onProblem?.("The picture could not be opened; make it again."));
  }, [sphere, picture, sharp]);

  useEffect(() => {
    if (sphere && film) return sphere.film(film.video, film.bounds, film.part);
  }, [sphere, film]);

  useEffect(() => sphere?.look({ ...view, lon: view.lon + turned }), [sphere, view, turned]);

  // A wheel must not scroll the page, which only a listener that is not passive can prevent.
  useEffect(() => {
    const element = canvas.current;
    if (!element) return;
    const wheel = (e: WheelEvent) => {
      e.preventDefault();
      onView(held({ ...latest.current, hfov: latest.current.hfov * Math.exp(e.deltaY * 0.001) }));
    };
    element.addEventListener("wheel", wheel, { passive: false });
    return () => element.removeEventListener("wheel", wheel);
  }, [onView]);

  const keys = (e: React.KeyboardEvent) => {
    const v = latest.current;
    const step = v.hfov / 15;
    const next: Record<string, View> = {
      ArrowLeft: { ...v, lon: v.lon - step },
      ArrowRight: { ...v, lon: v.lon + step },
      ArrowUp: { ...v, lat: v.lat + step },
      ArrowDown: { ...v, lat: v.lat - step },
      "+": { ...v, hfov: v.hfov / 1.1 },
      "-": { ...v, hfov: v.hfov * 1.1 },
    };
    const view = next[e.key];
    if (!view) return;
    e.preventDefault();
    onView(held(view));
  };

  const screen = (
    <canvas
      ref={canvas}
      className={`mid-grey block cursor-grab touch-none active:cursor-grabbing ${caption ? "min-h-0 w-full flex-1 rounded-2xl" : (className ?? "")}`}
      role="application"
      aria-label={`${label}. Drag or arrow keys look round, wheel or plus and minus change the field of view.`}
      tabIndex={0}
      data-testid="lookout"
      data-lon={view.lon.toFixed(2)}
      data-lat={view.lat.toFixed(2)}
      data-hfov={view.hfov.toFixed(2)}
      onPointerDown={(e) => {
        e.currentTarget.setPointerCapture(e.pointerId);
        drag.current = { x: e.clientX, y: e.clientY };
      }}
      onPointerMove={(e) => {
        if (!drag.current) return;
        const scale = view.hfov / e.currentTarget.clientWidth;
        const [dx, dy] = [e.clientX - drag.current.x, e.clientY - drag.current.y];
        drag.current = { x: e.clientX, y: e.clientY };
        onView(held({ ...view, lon: view.lon - dx * scale, lat: view.lat + dy * scale }));
      }}
      onPointerUp={() => (drag.current = null)}
      onPointerCancel={() => (drag.current = null)}
      onKeyDown={keys}
    />
  );
  if (!caption) return screen;
  return (
    <figure className={`m-0 flex flex-col gap-1 ${className ?? ""}`}>
      {screen}
      <figcaption className="text-xs text-base-content/80">
        <span className="font-semibold">Lookout</span>: what a viewer sees. Drag to look round.
      </figcaption>
    </figure>
  );
}
