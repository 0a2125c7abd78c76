import { useState } from "react";
import { api } from "../api/client";
import type { Between } from "../generated/Between";
import type { PathFinding } from "../generated/PathFinding";
import type { Project } from "../generated/Project";
import { LengthField } from "../parts/LengthField";
import { Mark } from "../parts/Mark";
import { NumberField } from "../parts/NumberField";
import { SelectField } from "../parts/SelectField";
import { Switch } from "../parts/Switch";
import { length } from "../parts/units";
import type { View } from "../sphere/geometry";
import { KeyFields } from "./KeyFields";
import { lookingAhead, startPath, withKey, withPlace, withSeparations, withoutHeadings } from "./path";
import type { PathState } from "./usePath";
import type { Stand } from "./useStand";

const small = "btn btn-xs font-normal";

const ON: [Between, string][] = [
  ["smooth", "smooth"],
  ["straight", "straight"],
  ["held", "held"],
];

interface Props {
  project: Project;
  stand: Stand;
  path: PathState;
  /** Where the Lookout looks, relative to the middle. */
  view: View;
}

/** The way that the chosen viewpoint takes while time goes by. */
export function PathPanel({ project, stand, path, view }: Props) {
  const [problem, setProblem] = useState<string | null>(null);
  const [turning, setTurning] = useState(false);
  // From what moves to the eye, in its own frame: to its right, upwards, backwards; metres.
  const [offset, setOffset] = useState<[number, number, number]>([0, 0, 0]);
  const { movers } = project.scene;
  const now = path.path;
  const { pose } = stand.current;
  const take = async (node: number) => {
    setProblem(null);
    await api
      .pathOfNode(project.id, { node, offset, turn_along: turning })
      .then(path.change)
      .catch((e: unknown) => setProblem(e instanceof Error ? e.message : String(e)));
  };
  const from = movers.length > 0 && (
    <div className="flex flex-wrap items-end gap-2">
      <SelectField
        label="Take the way of"
        className="w-44"
        value={-1}
        none="choose what moves"
        options={movers.map((m) => [m.node, m.name] as const)}
        onChange={(node) => void take(node)}
      />
      {(["to its right", "above it", "behind it"] as const).map((way, i) => (
        <div key={way} className="w-20">
          <LengthField
            label={way}
            value={offset[i] ?? 0}
            onChange={(v) => setOffset(offset.map((o, k) => (k === i ? v : o)) as [number, number, number])}
          />
        </div>
      ))}
      <div className="pb-1.5">
        <Switch
          label="with its turning"
          hint="A moving viewpoint that turns makes people sick; without this it keeps its heading."
          on={turning}
          onChange={setTurning}
        />
      </div>
    </div>
  );
  if (!now)
    return (
      <div className="flex flex-col gap-2 text-[13px]">
        <p>This viewpoint stands still. On a path it moves while time goes by, for sequences and films.</p>
        <div>
          <button
            type="button"
            className="btn btn-sm btn-primary"
            onClick={() => path.change(startPath(pose, stand.clearance?.ring ?? []))}
          >
            Start a path here
          </button>
        </div>
        {from}
        {problem && <p className="text-error">{problem}</p>}
      </div>
    );
  const turns = now.keys.some((k) => k.heading_deg !== null);
  const travel = path.info?.travel_at_keys_deg ?? null;
  const { info } = path;
  const fitted = info?.fitted_separations_m ?? null;
  const separated = now.keys.some((k) => k.separation_m !== null);
  return (
    <div className="flex flex-col gap-2 text-[13px]">
      <div className="flex flex-wrap items-center gap-x-3 gap-y-1">
        <span data-testid="path-length">
          {now.keys.length} {now.keys.length === 1 ? "key" : "keys"}
          {info ? `, ${length(info.length_m)} in ${(path.to - path.from).toFixed(2)} s` : ""}
        </span>
        <button
          type="button"
          className={small}
          title="A key where the viewpoint is at this moment"
          onClick={() => path.change(withPlace(now, stand.keyTimeNow(), path.pose.position))}
        >
          Add a key at {path.time.toFixed(2)} s
        </button>
        <button
          type="button"
          className={small}
          disabled={!travel}
          onClick={() => travel && path.change(lookingAhead(now, travel))}
        >
          Look where it travels
        </button>
        {fitted && (
          <button
            type="button"
            className={small}
            title="At each key as far apart as what is nearest on the way allows: thirty of their distances"
            onClick={() => path.change(withSeparations(now, fitted))}
          >
            Fit the eyes
          </button>
        )}
        {separated && (
          <button type="button" className={small} onClick={() => path.change(withSeparations(now, null))}>
            Eyes as in Depth
          </button>
        )}
        {turns && (
          <button type="button" className={small} onClick={() => path.change(withoutHeadings(now))}>
            Keep one heading
          </button>
        )}
      </div>
      <ul className="flex flex-col gap-1" data-testid="path-findings">
        {info?.findings.length === 0 && (
          <li>
            <Mark kind="fine">
              <span className="text-base-content">Nothing on the way makes people sick.</span>
            </Mark>
          </li>
        )}
        {info?.findings.map((f) => (
          <Finding key={f.rule} finding={f} onShow={() => path.scrub(f.from_s, true)} />
        ))}
      </ul>
      <div
        className="scrolls -mx-0.5 max-h-56 px-0.5"
        tabIndex={0}
        role="region"
        aria-label="Keys of the path"
      >
        <table className="w-full text-xs" data-testid="path-table">
          <thead>
            <tr className="text-left text-base-content/75">
              <th className="pr-1 font-normal">Key</th>
              <th className="pr-1 font-normal">Moment</th>
              <th className="pr-1 font-normal">East (x)</th>
              <th className="pr-1 font-normal">South (z)</th>
              <th className="pr-1 font-normal">Height (y)</th>
              <th className="pr-1 font-normal">Goes on</th>
              <th>
                <span className="sr-only">Remove</span>
              </th>
            </tr>
          </thead>
          <tbody>
            {now.keys.map((k, i) => {
              const [kx, ky, kz] = k.position;
              const place = (position: [number, number, number]) =>
                path.change(withKey(now, i, { position }));
              const field = (label: string, value: number, set: (v: number) => void) => (
                <td className="min-w-[4.9rem] pr-1">
                  <LengthField bare label={`${label} of key ${i + 1}`} value={value} onChange={set} />
                </td>
              );
              return (
                // oxlint-disable-next-line react/no-array-index-key
                <tr key={i}>
                  <td className="pr-1">
                    <button
                      type="button"
                      className={`btn btn-xs min-w-6 px-1 ${path.chosen === i ? "btn-secondary" : "btn-ghost"}`}
                      aria-label={`Choose key ${i + 1}`}
                      title="Its heading, opening view and eyes"
                      onClick={() => {
                        path.choose(i);
                        path.letGo(false);
                      }}
                    >
                      {i + 1}
                    </button>
                  </td>
                  <td className="min-w-[4.4rem] pr-1">
                    <NumberField
                      bare
                      label={`Moment of key ${i + 1}`}
                      unit="s"
                      digits={2}
                      step={0.5}
                      min={0}
                      max={86_400}
                      value={k.time_s}
                      onChange={(time_s) => path.change(withKey(now, i, { time_s }))}
                    />
                  </td>
                  {field("East", kx, (v) => place([v, ky, kz]))}
                  {field("South", kz, (v) => place([kx, ky, v]))}
                  {field("Height", ky, (v) => place([kx, v, kz]))}
                  <td className="pr-1">
                    <select
                      aria-label={`How it goes on from key ${i + 1}`}
                      className="select select-xs w-[5.2rem] bg-base-100 pr-5 pl-1.5"
                      value={k.on}
                      disabled={i === now.keys.length - 1}
                      onChange={(e) => path.change(withKey(now, i, { on: e.target.value as Between }))}
                    >
                      {ON.map(([v, name]) => (
                        <option key={v} value={v}>
                          {name}
                        </option>
                      ))}
                    </select>
                  </td>
                  <td>
                    <button
                      type="button"
                      className="btn btn-ghost btn-xs px-1 font-normal"
                      aria-label={`Remove key ${i + 1}`}
                      title={`Remove key ${i + 1}`}
                      onClick={() => path.remove(i)}
                    >
                      <svg viewBox="0 0 12 12" className="size-3" aria-hidden="true">
                        <path d="M2.5 6h7" stroke="currentColor" strokeWidth="1.8" />
                      </svg>
                    </button>
                  </td>
                </tr>
              );
            })}
          </tbody>
        </table>
      </div>
      {path.chosen !== null && now.keys[path.chosen] && (
        <KeyFields path={path} now={now} at={path.chosen} view={view} heading={path.pose.heading_deg} />
      )}
      <div className="flex flex-wrap items-end gap-2">
        <div className="w-24">
          <NumberField
            label="Begins gently"
            unit="s"
            digits={1}
            step={0.5}
            min={0}
            max={86_400}
            value={now.ease_in_s}
            onChange={(ease_in_s) => path.change({ ...now, ease_in_s })}
          />
        </div>
        <div className="w-24">
          <NumberField
            label="Ends gently"
            unit="s"
            digits={1}
            step={0.5}
            min={0}
            max={86_400}
            value={now.ease_out_s}
            onChange={(ease_out_s) => path.change({ ...now, ease_out_s })}
          />
        </div>
        <div className="pb-1.5">
          <Switch
            label="One speed all the way"
            hint="Only the first and the last key’s moments count."
            on={now.constant_speed}
            onChange={(constant_speed) => path.change({ ...now, constant_speed })}
          />
        </div>
        <div className="pb-1.5">
          <Switch
            label="Follows the floor"
            hint="Keeps its height above the floor; a stair is a ramp."
            on={now.above_floor_m !== null}
            onChange={(on) =>
              path.change({ ...now, above_floor_m: on ? Number((stand.above ?? 1.6).toFixed(3)) : null })
            }
          />
        </div>
        {now.above_floor_m !== null && (
          <div className="w-28">
            <LengthField
              label="Above the floor"
              min={0.01}
              max={1000}
              value={now.above_floor_m}
              onChange={(above_floor_m) => path.change({ ...now, above_floor_m })}
            />
          </div>
        )}
        {from}
      </div>
      {problem && <p className="text-error">{problem}</p>}
      <p className="flex flex-wrap items-center gap-x-3 text-xs text-base-content/80">
        Drag keys in plan and section; click the line to add one.
        <button type="button" className="btn btn-ghost btn-xs font-normal" onClick={() => path.change(null)}>
          Remove the path
        </button>
      </p>
    </div>
  );
}

function Finding({ finding, onShow }: { finding: PathFinding; onShow: () => void }) {
  const { what, remedy, from_s, to_s } = finding;
  const when = from_s === to_s ? `at ${from_s.toFixed(1)} s` : `${from_s.toFixed(1)} to ${to_s.toFixed(1)} s`;
  return (
    <li className="flex flex-wrap items-start gap-x-2">
      <Mark kind="look">
        <span className="text-base-content">
          {what} {remedy}
        </span>
      </Mark>
      <button type="button" className="btn btn-ghost btn-xs font-normal" onClick={onShow}>
        Show ({when})
      </button>
    </li>
  );
}
