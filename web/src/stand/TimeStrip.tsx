import { useRef, useState } from "react";
import { ticks } from "../parts/ruler";
import { curvesOf, type Curve, type CurveName } from "./curves";
import type { PathState } from "./usePath";

interface Props {
  path: PathState;
  /** Live pictures shown so far. */
  shown: number;
}

/** Pictures a second that smooth motion has (common practice, no source). */
const SMOOTH = 30;
/** Height of the curve, in its own units. */
const H = 100;

/** A path over time: its keys, one of its curves with what is comfortable, and the moment that is shown. */
export function TimeStrip({ path, shown }: Props) {
  const { info, from, to, time } = path;
  const [name, setName] = useState<CurveName>("speed");
  const frame = useRef<HTMLDivElement>(null);
  if (!info || !path.path || to <= from)
    return (
      <p className="pl-9 text-xs text-base-content/80">
        {path.path && info ? "The path has one key: add another one, later." : "Reading the path …"}
      </p>
    );
  const curves = curvesOf(info);
  const curve = curves.find((c) => c.name === name) ?? curves[0];
  const left = (moment: number) => (100 * (moment - from)) / (to - from);
  const within = (moment: number) => Math.min(to, Math.max(from, moment));
  const momentOf = (e: React.PointerEvent) => {
    const box = frame.current?.getBoundingClientRect();
    return box ? within(from + ((e.clientX - box.left) / box.width) * (to - from)) : time;
  };
  const keys = (e: React.KeyboardEvent) => {
    const step = e.shiftKey ? 1 : 0.1;
    const next = {
      ArrowLeft: time - step,
      ArrowDown: time - step,
      ArrowRight: time + step,
      ArrowUp: time + step,
      Home: from,
      End: to,
    }[e.key];
    if (next === undefined) return;
    e.preventDefault();
    path.scrub(within(next), false);
  };
  return (
    <section className="flex gap-2 pl-9" aria-label="Time" data-testid="time-strip">
      <div className="flex w-[7.5rem] shrink-0 flex-col gap-1">
        <div className="flex items-center gap-2">
          <button
            type="button"
            className="btn btn-xs w-12 font-normal"
            onClick={path.playing ? path.stop : path.play}
          >
            {path.playing ? "Stop" : "Play"}
          </button>
          <span className="text-[13px] font-semibold tabular-nums" data-testid="moment">
            {time.toFixed(2)} s
          </span>
        </div>
        <label>
          <span className="sr-only">Curve</span>
          <select
            className="select select-xs w-full bg-base-100"
            value={curve?.name}
            onChange={(e) => setName(e.target.value as CurveName)}
          >
            {curves.map((c) => (
              <option key={c.name} value={c.name}>
                {c.label}
              </option>
            ))}
          </select>
        </label>
        <span className="text-xs leading-tight text-base-content/80" data-testid="curve-now">
          {path.playing ? <Rate shown={shown} /> : curve ? curve.told(curve.at(time)) : ""}
        </span>
      </div>
      <div className="relative h-[5.25rem] flex-1">
        <div
          ref={frame}
          className="absolute inset-0 cursor-ew-resize select-none touch-none rounded-md border border-base-300 bg-base-100"
          role="slider"
          tabIndex={0}
          aria-label="Moment"
          aria-valuemin={from}
          aria-valuemax={to}
          aria-valuenow={Number(time.toFixed(2))}
          aria-valuetext={`${time.toFixed(2)} seconds`}
          onPointerDown={(e) => {
            e.currentTarget.setPointerCapture(e.pointerId);
            path.scrub(momentOf(e), false);
          }}
          onPointerMove={(e) =>
            e.currentTarget.hasPointerCapture(e.pointerId) && path.scrub(momentOf(e), false)
          }
          onPointerUp={(e) => path.scrub(momentOf(e), true)}
          onPointerCancel={() => path.scrub(time, true)}
          onKeyDown={keys}
          onKeyUp={(e) =>
            (e.key.startsWith("Arrow") || e.key === "Home" || e.key === "End") && path.scrub(time, true)
          }
        >
          {ticks(from, to).map((t) => (
            <span
              key={t}
              className={`pointer-events-none absolute top-0 border-base-content/40 text-xs leading-3 whitespace-nowrap text-base-content/80 tabular-nums ${left(t) > 93 ? "-translate-x-full border-r pr-0.5" : "border-l pl-0.5"}`}
              style={{ left: `${left(t)}%` }}
              aria-hidden="true"
            >
              {Number(t.toFixed(1))} s
            </span>
          ))}
          {curve && <CurveView curve={curve} left={left} />}
          <span
            className="pointer-events-none absolute inset-y-0 w-0.5 -translate-x-1/2 bg-primary"
            style={{ left: `${Math.min(100, Math.max(0, left(time)))}%` }}
          />
        </div>
        {path.path.keys.map((k, i) => (
          <button
            // oxlint-disable-next-line react/no-array-index-key
            key={i}
            type="button"
            tabIndex={-1}
            aria-label={`Go to key ${i + 1}`}
            title={`Key ${i + 1}: ${k.time_s.toFixed(2)} s`}
            className={`absolute bottom-0 flex h-4 min-w-4 -translate-x-1/2 items-center justify-center rounded-t-[5px] border border-b-0 border-[#3c5570] px-0.5 text-xs leading-none font-semibold ${path.chosen === i ? "bg-[#3c5570] text-white" : "bg-white text-[#3c5570]"}`}
            style={{ left: `${left(info.key_moments_s[i] ?? k.time_s)}%` }}
            onPointerDown={(e) => e.stopPropagation()}
            onClick={() => path.scrub(info.key_moments_s[i] ?? k.time_s, true)}
          >
            {i + 1}
          </button>
        ))}
      </div>
    </section>
  );
}

/** How many pictures a second are shown while it plays, of those that smooth motion has. */
function Rate({ shown }: { shown: number }) {
  const [begun] = useState(() => ({ shown, at: performance.now() }));
  // oxlint-disable-next-line react-hooks/purity
  const seconds = (performance.now() - begun.at) / 1000;
  if (seconds < 0.5) return "Playing in real time";
  const rate = (shown - begun.shown) / seconds;
  return `${Math.min(SMOOTH, rate).toFixed(0)} of ${SMOOTH} pictures a second, the others are left out`;
}

/** One curve over its band of what is comfortable. */
function CurveView({ curve, left }: { curve: Curve; left: (moment: number) => number }) {
  const { low, high, band, points } = curve;
  const y = (v: number) => H - (H * (Math.min(high, Math.max(low, v)) - low)) / (high - low);
  const line = (points: (readonly [number, number | null])[]) => {
    let d = "";
    let pen = false;
    for (const [t, v] of points) {
      if (v !== null) d += `${pen ? "L" : "M"}${left(t).toFixed(2)} ${y(v).toFixed(2)}`;
      pen = v !== null;
    }
    return d;
  };
  const outside = points.map(
    ([t, v]) => [t, v !== null && band && (v < band[0] || v > band[1]) ? v : null] as const,
  );
  return (
    <>
      <svg
        viewBox={`0 0 100 ${H}`}
        preserveAspectRatio="none"
        className="pointer-events-none absolute inset-x-0 top-3.5 bottom-4 w-full"
        style={{ height: "calc(100% - 1.875rem)" }}
        aria-hidden="true"
      >
        {band && (
          <rect
            x="0"
            width="100"
            y={y(Math.min(high, band[1]))}
            height={Math.max(1, y(Math.max(low, band[0])) - y(Math.min(high, band[1])))}
            fill="#5f7548"
            fillOpacity="0.16"
          />
        )}
        <path
          d={line(points)}
          fill="none"
          stroke="#3c5570"
          strokeWidth="1.6"
          vectorEffect="non-scaling-stroke"
        />
        <path
          d={line(outside)}
          fill="none"
          stroke="#a8452e"
          strokeWidth="3"
          strokeDasharray="5 2"
          vectorEffect="non-scaling-stroke"
          data-testid="curve-outside"
        />
      </svg>
      <span
        className="pointer-events-none absolute top-3.5 right-1 rounded bg-base-100/85 px-1 text-xs leading-3 text-base-content/80"
        aria-hidden="true"
      >
        {curve.scale(high)}
        {band ? ` · green: ${curve.comfort}` : ""}
      </span>
    </>
  );
}
