import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api } from "../api/client";
import type { LightInfo } from "../generated/LightInfo";
import type { LightSetting } from "../generated/LightSetting";
import type { Project } from "../generated/Project";
import { Mark } from "../parts/Mark";
import { NumberField } from "../parts/NumberField";
import { Problem } from "../parts/Problem";
import { count, plain } from "../parts/units";

type Lights = Project["settings"]["lights"];

const PLAIN: LightSetting = { on: true, stops: 0, unseen: false };

const strength = (l: LightInfo) => `${count(Number(l.strength.toPrecision(3)))} ${l.unit}`;

/** All lights in one list: switch and dim one, many or all. */
export function LightList({
  project,
  viewpoint,
  lights,
  onChange,
}: {
  project: Project;
  viewpoint: { id: number; name: string };
  lights: Lights;
  onChange: (lights: Lights) => void;
}) {
  const [chosen, setChosen] = useState<ReadonlySet<string>>(new Set());
  const { data, error } = useQuery({
    queryKey: [
      "lights",
      project.id,
      viewpoint.id,
      project.viewpoints.find((v) => v.id === viewpoint.id)?.pose.position,
      project.settings.unit,
      project.settings.time_s,
      project.settings.surroundings,
    ],
    queryFn: () => api.lights(project.id, viewpoint.id),
    placeholderData: (before) => before,
  });
  const of = (key: string): LightSetting => lights[key] ?? PLAIN;
  const keys = data?.map((l) => l.key) ?? [];
  // Without a choice the buttons are meant for all.
  const meant = chosen.size > 0 ? keys.filter((k) => chosen.has(k)) : keys;
  const set = (which: string[], part: Partial<LightSetting>) => {
    const next: Lights = { ...lights };
    for (const key of which) {
      const setting = { ...of(key), ...part };
      if (setting.on && setting.stops === 0 && !setting.unseen) delete next[key];
      else next[key] = setting;
    }
    onChange(next);
  };
  const bodies = meant.filter((k) => k.startsWith("object:"));
  const stops = meant[0] === undefined ? 0 : of(meant[0]).stops;
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
          onClick={() => onChange({})}
        >
          Reset
        </button>
      </div>
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
              <th>x, height, z in m</th>
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
                    <div className="truncate text-[11px] text-base-content/70">{l.kind}</div>
                  </td>
                  <td className="text-right whitespace-nowrap">{strength(l)}</td>
                  <td className="whitespace-nowrap">
                    {l.position ? l.position.map((v) => plain(v, 2)).join(", ") : "directional"}
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
        {data?.length === 0 && (
          <p className="p-3 text-sm text-base-content/80">
            Nothing in the scene gives light; the surroundings light it alone.
          </p>
        )}
      </div>
    </div>
  );
}
