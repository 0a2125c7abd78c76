/** Numbers with their units, as they are shown everywhere. */

export const metres = (v: number): string => {
  const size = Math.abs(v);
  if (size < 5e-5) return "0.00 m";
  if (size < 0.01) return `${(v * 1000).toFixed(1)} mm`;
  if (size >= 10_000) return `${(v / 1000).toFixed(1)} km`;
  return `${v.toFixed(size >= 100 ? 0 : 2)} m`;
};

export const degrees = (v: number, digits = 1): string => `${v.toFixed(digits)}°`;

export const count = (v: number): string => v.toLocaleString("en");

export const bytes = (v: number): string => {
  if (v >= 1e9) return `${(v / 1e9).toFixed(1)} GB`;
  if (v >= 1e6) return `${(v / 1e6).toFixed(v >= 1e8 ? 0 : 1)} MB`;
  return `${Math.ceil(v / 1e3)} kB`;
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
