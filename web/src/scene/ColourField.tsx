import { useEffect, useLayoutEffect, useRef, useState } from "react";
import { NumberField } from "../parts/NumberField";

export type Colour = [number, number, number];

/** The largest part of a colour is its brightness; the rest is its hue. */
const brightness = (c: Colour) => Math.max(...c, 1e-6);

const encode = (v: number) => (v <= 0.0031308 ? 12.92 * v : 1.055 * v ** (1 / 2.4) - 0.055);
const decode = (v: number) => (v <= 0.04045 ? v / 12.92 : ((v + 0.055) / 1.055) ** 2.4);

const toHex = (c: Colour) => {
  const top = brightness(c);
  return `#${c
    .map((v) =>
      Math.round(encode(v / top) * 255)
        .toString(16)
        .padStart(2, "0"),
    )
    .join("")}`;
};

const fromHex = (hex: string, top: number): Colour => {
  const part = (i: number) => decode(parseInt(hex.slice(i, i + 2), 16) / 255) * top;
  return [part(1), part(3), part(5)];
};

/** A colour of light: hue, and brightness in stops. */
export function ColourField({
  name,
  colour,
  onChange,
}: {
  name: string;
  colour: Colour;
  onChange: (c: Colour) => void;
}) {
  const top = brightness(colour);
  const [draft, setDraft] = useState<string | null>(null);
  const field = useRef<HTMLInputElement>(null);
  const take = useRef<(hex: string) => void>(null);
  useLayoutEffect(() => {
    take.current = (hex) => {
      setDraft(null);
      if (hex !== toHex(colour)) onChange(fromHex(hex, top));
    };
  });
  // The browser tells of every step while a colour is being looked for, and by this once it is chosen.
  useEffect(() => {
    const input = field.current;
    const chosen = () => input && take.current?.(input.value);
    input?.addEventListener("change", chosen);
    return () => input?.removeEventListener("change", chosen);
  }, []);
  return (
    <div className="flex items-end gap-2">
      <label className="flex flex-col gap-0.5">
        <span className="text-xs text-base-content/75">{name}</span>
        <input
          type="color"
          className="h-8 w-12 rounded border border-base-300 bg-base-100 p-0.5"
          ref={field}
          value={draft ?? toHex(colour)}
          onChange={(e) => setDraft(e.target.value)}
        />
      </label>
      <div className="w-32">
        <NumberField
          label={`${name}, brightness`}
          value={Math.log2(top)}
          unit="stops"
          step={0.5}
          digits={1}
          min={-10}
          max={10}
          onChange={(stops) => onChange(colour.map((v) => (v / top) * 2 ** stops) as Colour)}
        />
      </div>
    </div>
  );
}
