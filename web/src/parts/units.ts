/** Numbers with their units, as they are shown everywhere. */

/** The lengths that people think in; everything is kept in metres. */
export type UnitSystem = "metric" | "imperial";

const KEPT = "owl-dome-units";
let system: UnitSystem = localStorage.getItem(KEPT) === "imperial" ? "imperial" : "metric";

export const unitSystem = (): UnitSystem => system;

export const setUnitSystem = (to: UnitSystem): void => {
  system = to;
  localStorage.setItem(KEPT, to);
};

/** An inch is 0.0254 m exactly (international yard and pound agreement, 1959). */
const INCH = 0.0254;
export const FOOT = 12 * INCH;

function feet(v: number): string {
  const sign = v < 0 ? "−" : "";
  const inches = Math.abs(v) / INCH;
  if (inches < 12) return `${sign}${inches.toFixed(inches < 1 ? 2 : 1)} in`;
  if (inches >= 12 * 5280) return `${sign}${(inches / 12 / 5280).toFixed(1)} mi`;
  if (inches >= 1200) return `${sign}${Math.round(inches / 12)} ft`;
  // Rounded first: 11.96 inches are a foot.
  const tenths = Math.round(inches * 10);
  const whole = `${sign}${Math.floor(tenths / 120)} ft`;
  return tenths % 120 === 0 ? whole : `${whole} ${((tenths % 120) / 10).toFixed(1)} in`;
}

/** A number with so many digits behind the point; nothing is never "-0.00". */
export const plain = (v: number, digits: number): string => v.toFixed(digits).replace(/^-(0(\.0*)?)$/, "$1");

/** A length of metres in the chosen units. */
export const length = (v: number): string => {
  if (system === "imperial") return feet(v);
  const size = Math.abs(v);
  if (size < 5e-5) return "0.00 m";
  if (size < 0.01) return `${(v * 1000).toFixed(1)} mm`;
  if (size >= 10_000) return `${(v / 1000).toFixed(1)} km`;
  return `${v.toFixed(size >= 100 ? 0 : 2)} m`;
};

export const degrees = (v: number, digits = 1): string => `${v.toFixed(digits)}°`;

export const count = (v: number): string => v.toLocaleString("en");

/** An amount of light: three digits that say something. */
export const light = (v: number): string => {
  if (v === 0) return "0";
  const three = Number(v.toPrecision(3));
  return Math.abs(three) >= 100 ? count(three) : String(three);
};

export const bytes = (v: number): string => {
  if (v >= 1e9) return `${(v / 1e9).toFixed(1)} GB`;
  if (v >= 1e6) return `${(v / 1e6).toFixed(v >= 1e8 ? 0 : 1)} MB`;
  return `${Math.ceil(v / 1e3)} kB`;
};

/** A rate by its name, a number or a fraction, in words. */
export const perSecond = (rate: string): string => {
  const [frames, seconds] = rate.split("/").map(Number);
  if (rate === "1" || frames === undefined) return "1 frame a second";
  return `${Number((frames / (seconds ?? 1)).toFixed(3))} frames a second`;
};

export const duration = (seconds: number): string => {
  if (seconds < 90) return `${Math.round(seconds)} s`;
  const minutes = Math.round(seconds / 60);
  return minutes < 60 ? `${minutes} min` : `${Math.floor(minutes / 60)} h ${minutes % 60} min`;
};

/** A heading in 0 to 360 degrees. */
export const wrapHeading = (v: number): number => ((v % 360) + 360) % 360;

/** An angle the short way round, -180 to 180 degrees. */
export const wrapSigned = (v: number): number => {
  const w = wrapHeading(v);
  return w > 180 ? w - 360 : w;
};
