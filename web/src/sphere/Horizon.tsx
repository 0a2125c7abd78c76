import { useRef, type PointerEvent, type ReactNode } from "react";
import { degrees, wrapHeading } from "../parts/units";
import { horizonPath, viewOutline, type View } from "./geometry";

interface Props {
  /** The unrolled picture, or nothing yet. */
  picture: string | null;
  /** Whether it is shown darker than it is, under what is laid over it. */
  dimmed?: boolean;
  label: string;
  /** Heading of the middle, degrees. */
  heading: number;
  /** How far that is to the right of the middle of the picture itself, degrees. */
  turned?: number;
  pitch?: number;
  roll?: number;
  /** The opening view or the Lookout's, relative to the middle. */
  view?: View;
  viewRatio?: number;
  viewName?: string;
  /** Dragging turns the picture by so many degrees; `end` is true when the pointer is let go. */
  onTurn?: (degrees: number, end: boolean) => void;
  /**
   * A click on a place without dragging, or Enter: for the middle of the view, or, where nothing turns and `onHover` reads, for
   * the place that is read; relative to the middle, degrees.
   */
  onPick?: (lon: number, lat: number) => void;
  /** What a viewer sees first, where it differs from the view. */
  opening?: View | undefined;
  /** Pointing at a place, relative to the middle; degrees. */
  onPoint?: (lon: number, lat: number) => void;
  /** The pointer is over a place of the picture, 0 to 1 both ways, or has left it. */
  onHover?: (place: [number, number] | null) => void;
  /** Laid over the picture, in percent of it. */
  children?: ReactNode;
  note?: ReactNode;
  /** Highest share of the window that it may take, 0 to 1: what stands below must stay in sight. */
  share?: number;
}

/** Less than this is no drag, pixels. */
const STILL = 4;
const RULER_LABELS = Array.from({ length: 12 }, (_, i) => i * 30);
const RULER_TICKS = Array.from({ length: 36 }, (_, i) => i * 10);

/** The whole sphere unrolled, with a ruler of headings, latitudes and the horizon. */
export function Horizon(props: Props) {
  const { picture, label, heading, pitch = 0, roll = 0, view, viewRatio = 1.6, onTurn, onPoint } = props;
  const aside = -wrapHeading(props.turned ?? 0) / 3.6;
  const { share = 0.52 } = props;
  const dim = props.dimmed ? "opacity-45" : "";
  // Where the keyboard reads, where nothing is turned or pointed at by it.
  const probe = useRef<[number, number]>([0.5, 0.5]);
  const frame = useRef<HTMLDivElement>(null);
  const drag = useRef<number | null>(null);
  const pressed = useRef<[number, number] | null>(null);

  const active = onTurn !== undefined || onPoint !== undefined;
  const reads = !active && props.onHover !== undefined;
  const place = (e: PointerEvent): [number, number] => {
    const box = frame.current?.getBoundingClientRect();
    if (!box) return [0, 0];
    return [
      ((e.clientX - box.left) / box.width - 0.5) * 360,
      (0.5 - (e.clientY - box.top) / box.height) * 180,
    ];
  };
  const down = (e: PointerEvent) => {
    e.currentTarget.setPointerCapture(e.pointerId);
    drag.current = e.clientX;
    pressed.current = [e.clientX, e.clientY];
    onPoint?.(...place(e));
  };
  const move = (e: PointerEvent) => {
    if (props.onHover) {
      const [lon, lat] = place(e);
      props.onHover([lon / 360 + 0.5, 0.5 - lat / 180]);
    }
    if (drag.current === null) return;
    const from = pressed.current;
    // A hand is never quite still: a click is no drag.
    if (from && Math.hypot(e.clientX - from[0], e.clientY - from[1]) < STILL) return;
    pressed.current = null;
    const width = frame.current?.clientWidth ?? 1;
    if (onTurn) {
      onTurn((-(e.clientX - drag.current) / width) * 360, false);
      drag.current = e.clientX;
    }
    onPoint?.(...place(e));
  };
  const up = (e: PointerEvent) => {
    if (drag.current !== null) {
      if (pressed.current) props.onPick?.(...place(e));
      else onTurn?.(0, true);
    }
    drag.current = null;
    pressed.current = null;
  };
  const keys = (e: React.KeyboardEvent) => {
    if (e.key === "Enter" && props.onPick) {
      e.preventDefault();
      const [u, v] = probe.current;
      if (reads) props.onPick((u - 0.5) * 360, (0.5 - v) * 180);
      else props.onPick(view?.lon ?? 0, view?.lat ?? 0);
      return;
    }
    const step = e.shiftKey ? 10 : 1;
    const by = { ArrowLeft: [-step, 0], ArrowRight: [step, 0], ArrowUp: [0, step], ArrowDown: [0, -step] }[
      e.key
    ];
    if (!by) return;
    e.preventDefault();
    if (!active) {
      const [u, v] = probe.current;
      const within = (x: number) => Math.min(1, Math.max(0, x));
      probe.current = [within(u + (by[0] ?? 0) / 360), within(v - (by[1] ?? 0) / 180)];
      props.onHover?.(probe.current);
      return;
    }
    // A key that is held down turns all the while; it counts when it is let go.
    onTurn?.(by[0] ?? 0, false);
    if (onPoint && view)
      onPoint(view.lon + (by[0] ?? 0), Math.max(-90, Math.min(90, view.lat + (by[1] ?? 0))));
  };
  const keysUp = (e: React.KeyboardEvent) => {
    if (e.key.startsWith("Arrow")) onTurn?.(0, true);
  };
  const at = (h: number) => ((wrapHeading(h - heading + 180) / 360) * 100).toFixed(3);

  return (
    <figure
      className="@container relative m-0 w-full select-none"
      style={{ maxWidth: `calc(${(share * 200).toFixed(1)}vh + 2.25rem)` }}
      data-testid="horizon"
    >
      <div className="relative ml-9 h-5 text-xs text-base-content/80" aria-hidden="true">
        {RULER_TICKS.map((h) => (
          <span
            key={h}
            className={`absolute bottom-0 w-px bg-base-content/45 ${h % 30 === 0 ? "h-1.5" : "h-1"}`}
            style={{ left: `${at(h)}%` }}
          />
        ))}
        {RULER_LABELS.map((h) => (
          <span
            key={h}
            className={`absolute top-0 -translate-x-1/2 leading-3 ${h % 60 === 0 ? "" : "hidden @lg:block"}`}
            style={{ left: `${at(h)}%` }}
          >
            {h}°
          </span>
        ))}
      </div>
      <div className="flex">
        <div className="relative w-9 shrink-0 text-xs text-base-content/80" aria-hidden="true">
          {[60, 30, 0, -30, -60].map((lat) => (
            <span
              key={lat}
              className="absolute right-1.5 -translate-y-1/2 leading-3"
              style={{ top: `${((90 - lat) / 180) * 100}%` }}
            >
              {lat > 0 ? `+${lat}` : lat}°
            </span>
          ))}
        </div>
        <div
          ref={frame}
          className={`mid-grey relative aspect-[2/1] w-full touch-none overflow-hidden rounded-md ${onTurn ? "cursor-ew-resize" : ""} ${onPoint ? "cursor-crosshair" : ""}`}
          role={active || reads ? "application" : "img"}
          aria-label={
            active
              ? `${label}. Arrow keys turn it.`
              : reads
                ? `${label}. Arrow keys move where its values are read${props.onPick ? ", Enter picks" : ""}.`
                : label
          }
          tabIndex={active || reads ? 0 : undefined}
          onPointerDown={active || props.onPick ? down : undefined}
          onPointerMove={active || props.onHover ? move : undefined}
          onPointerLeave={() => props.onHover?.(null)}
          onPointerUp={up}
          onPointerCancel={up}
          onKeyDown={active || reads ? keys : undefined}
          onKeyUp={active ? keysUp : undefined}
          onFocus={reads ? () => props.onHover?.(probe.current) : undefined}
          onBlur={reads ? () => props.onHover?.(null) : undefined}
        >
          {picture && (
            <img
              src={picture}
              alt=""
              draggable={false}
              className={`absolute inset-0 size-full ${dim}`}
              style={aside === 0 ? undefined : { transform: `translateX(${aside}%)` }}
              data-testid="horizon-picture"
            />
          )}
          {picture && aside !== 0 && (
            <img
              src={picture}
              alt=""
              draggable={false}
              className={`absolute inset-0 size-full ${dim}`}
              // A pixel over the other one: nothing shines through where they meet.
              style={{ transform: `translateX(calc(${aside + 100}% - 1px))` }}
            />
          )}
          {props.children}
          <svg
            viewBox="0 0 360 180"
            className="pointer-events-none absolute inset-0 size-full"
            aria-hidden="true"
          >
            <path
              d={horizonPath(pitch, roll)}
              fill="none"
              stroke="#fff"
              strokeOpacity="0.55"
              strokeWidth="0.5"
              strokeDasharray="1.5 2.5"
            />
            {props.opening && (
              <path
                d={viewOutline(props.opening, viewRatio)}
                fill="none"
                stroke="#fff"
                strokeWidth="0.7"
                strokeDasharray="0.2 1.6"
                strokeLinecap="round"
                data-testid="opening-frame"
              />
            )}
            {view && (
              <>
                <path
                  d={viewOutline(view, viewRatio)}
                  fill="none"
                  stroke="#15181e"
                  strokeOpacity="0.6"
                  strokeWidth="1.9"
                />
                <path d={viewOutline(view, viewRatio)} fill="none" stroke="#f7e3bf" strokeWidth="0.8" />
              </>
            )}
          </svg>
        </div>
      </div>
      <figcaption className="ml-9 flex min-h-6 flex-wrap items-center gap-x-4 pt-1 text-xs text-base-content/80">
        <span>
          <span className="font-semibold">Horizon</span>: all directions, unrolled · Centre{" "}
          {degrees(wrapHeading(heading), 0)}
          {view && props.viewName
            ? ` · ${props.viewName} ${degrees(wrapHeading(heading + view.lon))} / ${degrees(view.lat)}, ${degrees(view.hfov, 0)} wide`
            : ""}
        </span>
        {props.note}
      </figcaption>
    </figure>
  );
}
