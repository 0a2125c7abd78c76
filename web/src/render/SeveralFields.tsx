import type { Project } from "../generated/Project";
import { Switch } from "../parts/Switch";
import { setupsOf } from "../scene/SetupBar";
import { SHAPES } from "./shapes";

/** What is ordered in one go beside the one that is chosen above. */
export interface Several {
  viewpoints: ReadonlySet<number>;
  shapes: ReadonlySet<string>;
  setups: ReadonlySet<number>;
}

export const ALONE: Several = { viewpoints: new Set(), shapes: new Set(), setups: new Set() };

/** A set with something taken in or out. */
function turned<T>(set: ReadonlySet<T>, value: T, on: boolean): ReadonlySet<T> {
  const next = new Set(set);
  if (on) next.add(value);
  else next.delete(value);
  return next;
}

/** A list of things of which some are chosen; the one that is chosen already is among them. */
function Some<T extends string | number>({
  label,
  options,
  own,
  value,
  onChange,
}: {
  label: string;
  options: readonly (readonly [T, string])[];
  own: T;
  value: ReadonlySet<T>;
  onChange: (to: ReadonlySet<T>) => void;
}) {
  if (options.length < 2) return null;
  return (
    <fieldset className="flex min-w-0 flex-col gap-1">
      <legend className="mb-0.5 flex w-full items-baseline justify-between text-xs text-base-content/75">
        <span>{label}</span>
        <button
          type="button"
          className="btn btn-ghost btn-xs font-normal"
          onClick={() =>
            onChange(
              value.size === options.length - 1
                ? new Set()
                : new Set(options.map(([v]) => v).filter((v) => v !== own)),
            )
          }
        >
          {value.size === options.length - 1 ? "only one" : "all"}
        </button>
      </legend>
      {options.map(([v, name]) => (
        <Switch
          key={v}
          label={name}
          on={v === own || value.has(v)}
          onChange={(on) => v !== own && onChange(turned(value, v, on))}
        />
      ))}
    </fieldset>
  );
}

/** More viewpoints, light setups and shapes that are ordered in one go: each with each. */
export function SeveralFields({
  project,
  viewpoint,
  setup,
  shape,
  value,
  onChange,
  count,
}: {
  project: Project;
  viewpoint: number;
  setup: number;
  shape: string;
  value: Several;
  onChange: (to: Several) => void;
  /** How many orders it makes. */
  count: number;
}) {
  return (
    <details className="mt-1 text-[13px]">
      <summary className="cursor-pointer">
        Several at once{" "}
        <span className="text-base-content/75">{count > 1 ? `${count} orders` : "one order"}</span>
      </summary>
      <div className="mt-1 grid grid-cols-2 gap-3">
        <Some
          label="Viewpoints"
          options={project.viewpoints.map((v) => [v.id, v.name] as const)}
          own={viewpoint}
          value={value.viewpoints}
          onChange={(viewpoints) => onChange({ ...value, viewpoints })}
        />
        <Some
          label="Shapes"
          options={SHAPES.map((s) => [s.shape, s.name] as const)}
          own={shape}
          value={value.shapes}
          onChange={(shapes) => onChange({ ...value, shapes })}
        />
        <Some
          label="Light setups"
          options={setupsOf(project.settings).map((s) => [s.number, s.name] as const)}
          own={setup}
          value={value.setups}
          onChange={(setups) => onChange({ ...value, setups })}
        />
      </div>
    </details>
  );
}
