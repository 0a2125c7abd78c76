import { sceneKey } from "./sceneKey";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api } from "../api/client";
import type { LightInfo } from "../generated/LightInfo";
import type { MeasureInfo } from "../generated/MeasureInfo";
import type { LightSetting } from "../generated/LightSetting";
import type { Project } from "../generated/Project";
import { Mark } from "../parts/Mark";
import { NumberField } from "../parts/NumberField";
import { Problem } from "../parts/Problem";
import { Switch } from "../parts/Switch";
import { SelectField } from "../parts/SelectField";
import { light, plain } from "../parts/units";
import { MeasuredLight } from "./MeasuredLight";

type Lights = Project["settings"]["lights"];

const PLAIN: LightSetting = { on: true, stops: 0, unseen: false };

/** A light's measures as it is set. */
const asSet = (l: LightInfo, s: LightSetting) =>
  l.measures.map((m) => ({ ...m, value: m.value * 2 ** s.stops }));

const told = (m: MeasureInfo) => `${light(m.value)} ${m.unit}`;

/** One light's strength in the measure of one's choice. */
function StrengthField({
  entry,
  setting,
  onStops,
}: {
  entry: LightInfo;
  setting: LightSetting;
  onStops: (stops: number) => void;
}) {
  const [unit, setUnit] = useState(entry.measures[0]?.unit ?? "");
  const measure = entry.measures.find((m) => m.unit === unit) ?? entry.measures[0];
  if (!measure || measure.value <= 0) return null;
  const set = measure.value * 2 ** setting.stops;
  return (
    <div className="flex flex-wrap items-end gap-1.5" data-testid="strength">
      <div className="w-36">
        <NumberField
          label={`Strength of ${entry.name}`}
          unit={measure.unit}
          value={Number(set.toPrecision(4))}
          digits={set < 10 ? 2 : set < 100 ? 1 : 0}
          step={set / 10}
          min={measure.value * 2 ** -20}
          max={measure.value * 2 ** 20}
          onChange={(v) => onStops(Number(Math.log2(v / measure.value).toFixed(3)))}
        />
      </div>
      {entry.measures.length > 1 && (
        <SelectField
          label="Measured in"
          className="w-22"
          value={measure.unit}
          options={entry.measures.map((m) => [m.unit, m.unit])}
          onChange={setUnit}
        />
      )}
      <p className="pb-1.5 text-xs text-base-content/75">
        {measure.of}
        {asSet(entry, setting).length > 1 && " · "}
        {asSet(entry, setting)
          .filter((m) => m.unit !== measure.unit)
          .map((m) => `${told(m)} ${m.of}`)
          .join(" · ")}
      </p>
    </div>
  );
}

/** All lights in one list: switch and dim one, many or all. */
export function LightList({
  project,
  viewpoint,
  lights,
  onChange,
  onGlass,
  onFileLight,
}: {
  project: Project;
  viewpoint: { id: number; name: string };
  lights: Lights;
  onChange: (next: (now: Lights) => Lights) => void;
  /** Sets how light comes through bodies of glass. */
  onGlass: (glass: Project["settings"]["glass"]) => void;
  /** Sets what 1 in the scene's file is, cd/m². */
  onFileLight: (cd_m2: number) => void;
}) {
  const [chosen, setChosen] = useState<ReadonlySet<string>>(new Set());
  const { data, error } = useQuery({
    queryKey: [
      "lights",
      project.id,
      viewpoint.id,
      project.viewpoints.find((v) => v.id === viewpoint.id)?.pose.position,
      sceneKey(project.scene),
      project.settings.unit,
      project.settings.time_s,
      project.settings.surroundings,
      project.settings.file_cd_m2,
      // What shines as measured is as strong as it was measured.
      Object.entries(lights).map(([key, s]) => [key, s?.distribution?.file]),
    ],
    queryFn: () => api.lights(project.id, viewpoint.id),
    placeholderData: (before) => before,
  });
  const of = (key: string): LightSetting => lights[key] ?? PLAIN;
  const keys = data?.map((l) => l.key) ?? [];
  // Without a choice the buttons are meant for all.
  const meant = chosen.size > 0 ? keys.filter((k) => chosen.has(k)) : keys;
  const set = (which: string[], part: Partial<LightSetting>) =>
    onChange((now) => {
      const next: Lights = { ...now };
      for (const key of which) {
        const setting = { ...(now[key] ?? PLAIN), ...part };
        if (!setting.distribution) delete setting.distribution;
        if (setting.on && setting.stops === 0 && !setting.unseen && !setting.distribution) delete next[key];
        else next[key] = setting;
      }
      return next;
    });
  const bodies = meant.filter((k) => k.startsWith("object:"));
  const stops = meant[0] === undefined ? 0 : of(meant[0]).stops;
  const one = chosen.size === 1 ? data?.find((l) => chosen.has(l.key)) : undefined;
  // Glowing objects and lamps with a place can shine as measured; light from one direction cannot.
  const measurable = data?.filter((l) => chosen.has(l.key) && l.position !== null) ?? [];
  const all = data !== undefined && data.length > 0 && chosen.size === data.length;
  return (
    <div className="flex min-h-0 flex-1 flex-col gap-2">
      <div className="flex flex-wrap items-end gap-1.5">
        <span className="w-14 pb-1.5 text-xs text-base-content/80">
          {chosen.size > 0 ? `${chosen.size} chosen:` : "For all:"}
        </span>
        <button
          type="button"
          className="btn btn-sm px-2.5 font-normal"
          onClick={() => set(meant, { on: true })}
        >
          Switch on
        </button>
        <button
          type="button"
          className="btn btn-sm px-2.5 font-normal"
          onClick={() => set(meant, { on: false })}
        >
          Switch off
        </button>
        <div className="w-28">
          <NumberField
            label="Brighter by"
            unit="stops"
            value={stops}
            digits={1}
            step={0.5}
            min={-20}
            max={20}
            onChange={(v) => set(meant, { stops: v })}
          />
        </div>
        <button
          type="button"
          className="btn btn-sm px-2.5 font-normal"
          title="The eye looks through their bodies; they still shine."
          disabled={bodies.length === 0}
          onClick={() => set(bodies, { unseen: !bodies.every((k) => of(k).unseen) })}
        >
          {bodies.length > 0 && bodies.every((k) => of(k).unseen) ? "Show bodies" : "Hide bodies"}
        </button>
        <button
          type="button"
          className="btn btn-ghost btn-sm px-2 font-normal"
          disabled={Object.keys(lights).length === 0}
          onClick={() => onChange(() => ({}))}
        >
          Reset
        </button>
      </div>
      {one && (
        <StrengthField
          key={one.key}
          entry={one}
          setting={of(one.key)}
          onStops={(stops) => set([one.key], { stops })}
        />
      )}
      {measurable[0] && measurable.length === chosen.size && (
        <MeasuredLight
          key={measurable.map((l) => l.key).join(" ")}
          project={project.id}
          count={measurable.length}
          set={of(measurable[0].key).distribution}
          onChange={(distribution) =>
            set(
              measurable.map((l) => l.key),
              // Stops that made up for another strength mean nothing for this one.
              of(measurable[0]?.key ?? "").distribution ? { distribution } : { distribution, stops: 0 },
            )
          }
        />
      )}
      <Problem error={error} />
      <div
        className="scrolls min-h-0 flex-1 rounded-box border border-base-300"
        tabIndex={0}
        role="region"
        aria-label="Lights"
      >
        <table className="table table-xs" data-testid="lights">
          <thead className="sticky top-0 z-10 bg-base-200 text-base-content/80">
            <tr>
              <th className="w-6">
                <input
                  type="checkbox"
                  className="checkbox checkbox-xs rounded-sm"
                  aria-label="Choose all lights"
                  checked={all}
                  onChange={() => setChosen(all ? new Set() : new Set(keys))}
                />
              </th>
              <th>Light</th>
              <th className="text-right">Strength</th>
              <th className="hidden min-[1150px]:table-cell">x, height, z in m</th>
              <th title={`From “${viewpoint.name}”`}>Viewpoint</th>
              <th>State</th>
            </tr>
          </thead>
          <tbody>
            {data?.map((l) => {
              const s = of(l.key);
              return (
                <tr key={l.key} data-testid="light" className={s.on ? "" : "opacity-70"}>
                  <td>
                    <input
                      type="checkbox"
                      className="checkbox checkbox-xs rounded-sm"
                      aria-label={`Choose ${l.name}`}
                      checked={chosen.has(l.key)}
                      onChange={() => {
                        const next = new Set(chosen);
                        if (!next.delete(l.key)) next.add(l.key);
                        setChosen(next);
                      }}
                    />
                  </td>
                  <td className="max-w-32">
                    <div className="truncate" title={l.name}>
                      {l.name}
                    </div>
                    <div className="truncate text-xs text-base-content/70">
                      {s.distribution ? `as measured: ${s.distribution.name}` : l.kind}
                    </div>
                  </td>
                  <td
                    className="text-right whitespace-nowrap"
                    title={asSet(l, s)
                      .map((m) => `${told(m)} ${m.of}`)
                      .join(", ")}
                  >
                    {asSet(l, s).slice(0, 1).map(told)}
                  </td>
                  <td className="hidden min-[1150px]:table-cell">
                    {l.position
                      ? l.position.map((v, i) => plain(v + (project.scene.offset_m[i] ?? 0), 2)).join(", ")
                      : "directional"}
                  </td>
                  <td>{l.seen ? (s.unseen ? "looks through" : "sees it") : "hidden"}</td>
                  <td className="whitespace-nowrap">
                    <Mark kind={s.on ? "fine" : "none"}>
                      {s.on ? "on" : "off"}
                      {s.stops !== 0 && `, ${s.stops > 0 ? "+" : ""}${s.stops} stops`}
                    </Mark>
                    <button
                      type="button"
                      className="btn btn-xs ml-1 px-1.5 font-normal"
                      aria-label={`Switch ${l.name} ${s.on ? "off" : "on"}`}
                      onClick={() => set([l.key], { on: !s.on })}
                    >
                      {s.on ? "Off" : "On"}
                    </button>
                  </td>
                </tr>
              );
            })}
          </tbody>
        </table>
        {data?.some((l) => !["sky", "sun"].includes(l.key)) && (
          <div className="flex flex-wrap items-end gap-2 border-t border-base-300 p-2">
            <div className="w-40">
              <NumberField
                label="1 in the scene file is"
                unit="cd/m²"
                value={Number(project.settings.file_cd_m2.toPrecision(6))}
                digits={project.settings.file_cd_m2 < 10 ? 2 : 0}
                min={0.001}
                max={1e9}
                onChange={onFileLight}
              />
            </div>
            <button
              type="button"
              className="btn btn-sm px-2.5 font-normal"
              title="The format's own units: glowing surfaces in cd/m², lamps in candela and lux"
              disabled={project.settings.file_cd_m2 === 1}
              onClick={() => onFileLight(1)}
            >
              As written
            </button>
            <p className="min-w-40 flex-1 text-xs text-base-content/75">
              {project.scene.light_why && `When it came in: ${project.scene.light_why}`}
            </p>
            <Switch
              label="Glass bends light"
              hint="With caustics, slower. Without, light of lamps and sky goes straight through bodies of glass; what is seen through them is bent in any case."
              on={project.settings.glass === "bent"}
              onChange={(on) => onGlass(on ? "bent" : "straight")}
            />
          </div>
        )}
        {data?.length === 0 && (
          <p className="p-3 text-sm text-base-content/80">
            Nothing in the scene gives light; the surroundings light it alone.
          </p>
        )}
      </div>
    </div>
  );
}
