import type { FrameRequest } from "../generated/FrameRequest";
import { Choice } from "../parts/Choice";
import { NumberField } from "../parts/NumberField";
import { SelectField } from "../parts/SelectField";
import { Switch } from "../parts/Switch";
import { FORMATS, NAME_HINT, RATES, lastOf } from "./frames";

/** Which frames, how many a second, and where they go: fields of a grid of two. */
export function FrameFields({
  value,
  onChange,
  motion,
  pair,
}: {
  value: FrameRequest;
  onChange: (to: FrameRequest) => void;
  /** How long something moves, seconds. */
  motion: number;
  /** Whether there are two eyes. */
  pair: boolean;
}) {
  const set = (part: Partial<FrameRequest>) => onChange({ ...value, ...part });
  const whole = (n: number) => Math.round(n);
  return (
    <>
      <NumberField
        label="First frame"
        unit="frame"
        value={value.first}
        min={0}
        max={9_999_999}
        onChange={(n) => set({ first: whole(n) })}
      />
      <NumberField
        label="Last frame"
        unit="frame"
        value={value.last}
        min={0}
        max={9_999_999}
        onChange={(n) => set({ last: whole(n) })}
      />
      <SelectField
        label="Frames a second"
        none={value.rate}
        value={value.rate}
        options={RATES}
        onChange={(rate) =>
          // Who has not chosen another end still wants the whole motion.
          set({ rate, last: value.last === lastOf(motion, value.rate) ? lastOf(motion, rate) : value.last })
        }
      />
      <NumberField
        label="Step"
        unit="frames"
        value={value.step}
        min={1}
        max={1000}
        onChange={(n) => set({ step: whole(n) })}
      />
      <Choice
        label="Written as"
        value={value.format}
        options={FORMATS}
        onChange={(format) => set({ format })}
      />
      {pair && value.format !== "exr" && !value.name.includes("{eye}") && (
        <Choice
          label="Eyes lie"
          value={value.packing === "side-by-side" ? "side-by-side" : "top-bottom"}
          options={[
            ["top-bottom", "one above the other"],
            ["side-by-side", "beside each other"],
          ]}
          onChange={(packing) => set({ packing })}
        />
      )}
      <NumberField
        label="Make first one in"
        unit="frames"
        value={value.first_each}
        min={1}
        max={1000}
        onChange={(n) => set({ first_each: whole(n) })}
      />
      <NumberField
        label="Shutter open"
        unit="°"
        value={value.shutter_deg}
        min={0}
        max={360}
        step={15}
        onChange={(shutter_deg) => set({ shutter_deg })}
      />
      {value.shutter_deg > 0 && (
        <NumberField
          label="Blended from"
          unit="moments"
          value={value.moments}
          min={2}
          max={256}
          onChange={(n) => set({ moments: whole(n) })}
        />
      )}
      <label className="col-span-2 flex flex-col gap-0.5" title={NAME_HINT}>
        <span className="text-xs text-base-content/75">Files in the folder for outputs</span>
        <input
          type="text"
          className="input input-sm w-full bg-base-100 font-mono text-xs"
          spellCheck={false}
          value={value.name}
          onChange={(e) => set({ name: e.target.value })}
        />
      </label>
      <div className="col-span-2">
        <Switch
          label="Stop after the first frame, to look at it"
          on={value.test_first}
          onChange={(test_first) => set({ test_first })}
        />
      </div>
    </>
  );
}
