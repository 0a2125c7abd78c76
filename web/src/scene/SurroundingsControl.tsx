import { useMutation } from "@tanstack/react-query";
import { useState } from "react";
import { api, uploadSurroundings } from "../api/client";
import type { Project } from "../generated/Project";
import { Choice } from "../parts/Choice";
import { Mark } from "../parts/Mark";
import { NumberField } from "../parts/NumberField";
import { Problem } from "../parts/Problem";
import { Switch } from "../parts/Switch";
import { degrees, light, wrapHeading } from "../parts/units";
import { ColourField } from "./ColourField";

type Surroundings = Project["settings"]["surroundings"];
type Sky = Surroundings["sky"];
type SunSky = Extract<Sky, { kind: "sun" }>;

const KINDS = [
  ["two-colour", "Two colours"],
  ["plain", "One colour"],
  ["sun", "Sun and clear sky"],
  ["picture", "A picture"],
] as const;

const SUN: SunSky = {
  kind: "sun",
  elevation_deg: 35,
  heading_deg: 135,
  turbidity: 3,
  ground: [0.2, 0.19, 0.17],
  disc: true,
};

/** The sky of another kind, as near to the one before as can be. */
function ofKind(kind: Sky["kind"], before: Sky): Sky | null {
  if (kind === before.kind) return before;
  const colour = before.kind === "plain" ? before.colour : null;
  const [zenith, horizon] = before.kind === "two-colour" ? [before.zenith, before.horizon] : [colour, colour];
  switch (kind) {
    case "plain":
      return { kind, colour: horizon ?? [0.8, 0.8, 0.8] };
    case "two-colour":
      return { kind, zenith: zenith ?? [0.42, 0.56, 0.82], horizon: horizon ?? [0.92, 0.93, 0.95] };
    case "sun":
      return SUN;
    case "picture":
      // There is none until a file is brought.
      return null;
  }
}

/** Sets the sun by place, date and hour. */
function SunByDate({ onSun }: { onSun: (elevation: number, heading: number) => void }) {
  const [latitude, setLatitude] = useState(48);
  const [month, setMonth] = useState(6);
  const [day, setDay] = useState(21);
  const [hour, setHour] = useState(18);
  const ask = useMutation({
    mutationFn: () => api.sun(latitude, month, day, hour),
    onSuccess: (s) => onSun(Number(s.elevation_deg.toFixed(2)), Number(s.heading_deg.toFixed(2))),
  });
  return (
    <div className="flex flex-wrap items-end gap-2">
      <div className="w-22">
        <NumberField
          label="Latitude"
          unit="°N"
          value={latitude}
          digits={1}
          min={-90}
          max={90}
          onChange={setLatitude}
        />
      </div>
      <div className="w-24">
        <NumberField label="Month" unit="1–12" value={month} min={1} max={12} onChange={setMonth} />
      </div>
      <div className="w-24">
        <NumberField label="Day" unit="1–31" value={day} min={1} max={31} onChange={setDay} />
      </div>
      <div className="w-24">
        <NumberField
          label="Solar time"
          unit="h"
          value={hour}
          digits={1}
          step={0.5}
          min={0}
          max={24}
          onChange={setHour}
        />
      </div>
      <button type="button" className="btn btn-sm font-normal" onClick={() => ask.mutate()}>
        Put the sun there
      </button>
      <Problem error={ask.error} />
    </div>
  );
}

/** What surrounds the scene, how it is turned, and how bright it lights and is seen. */
export function SurroundingsControl({
  project,
  surroundings,
  onChange,
}: {
  project: number;
  surroundings: Surroundings;
  onChange: (change: (now: Surroundings) => Surroundings) => void;
}) {
  const { sky } = surroundings;
  const [byDate, setByDate] = useState(false);
  const [choosing, setChoosing] = useState(false);
  const setSky = (next: Sky) => {
    setChoosing(false);
    onChange((now) => ({ ...now, sky: next }));
  };
  /** A part of the sky that is there; what another click set of it meanwhile stays. */
  const setPart = <S extends Sky>(of: S, part: Partial<S>) =>
    onChange((now) => ({ ...now, sky: Object.assign({}, now.sky.kind === of.kind ? now.sky : of, part) }));
  const bring = useMutation({
    mutationFn: (file: File) => uploadSurroundings(project, file),
    onSuccess: (found) => {
      setChoosing(false);
      onChange((now) => ({
        ...now,
        sky: { kind: "picture", file: found.file },
        ...(found.unit_cd_m2 === null ? {} : { unit_cd_m2: found.unit_cd_m2 }),
      }));
    },
  });
  const propose = useMutation({
    mutationFn: () => api.proposeSkyUnit(project),
    onSuccess: (found) =>
      onChange((now) => ({ ...now, unit_cd_m2: Number(found.unit_cd_m2.toPrecision(3)) })),
  });
  const kind = choosing ? "picture" : sky.kind;
  return (
    <fieldset className="rounded-box border border-base-300 px-4 pt-1 pb-3">
      <legend className="px-1 font-display text-[15px]">Surroundings</legend>
      <div className="flex flex-wrap items-end gap-x-4 gap-y-2">
        <Choice
          label="Sky"
          className="w-40"
          value={kind}
          options={KINDS}
          onChange={(k) => {
            const next = ofKind(k, sky);
            if (next) setSky(next);
            else setChoosing(true);
          }}
        />
        {kind === "two-colour" && sky.kind === "two-colour" && (
          <>
            <ColourField name="Zenith" colour={sky.zenith} onChange={(zenith) => setPart(sky, { zenith })} />
            <ColourField
              name="Horizon"
              colour={sky.horizon}
              onChange={(horizon) => setPart(sky, { horizon })}
            />
          </>
        )}
        {kind === "plain" && sky.kind === "plain" && (
          <ColourField
            name="Sky colour"
            colour={sky.colour}
            onChange={(colour) => setPart(sky, { colour })}
          />
        )}
        {kind === "sun" && sky.kind === "sun" && (
          <>
            <div className="w-24">
              <NumberField
                label="Sun's height"
                unit="°"
                value={sky.elevation_deg}
                digits={1}
                min={-5}
                max={90}
                onChange={(elevation_deg) => setPart(sky, { elevation_deg })}
              />
            </div>
            <div className="w-24">
              <NumberField
                label="Sun's heading"
                unit="°"
                value={sky.heading_deg}
                digits={1}
                onChange={(v) => setPart(sky, { heading_deg: wrapHeading(v) })}
              />
            </div>
            <div className="w-24">
              <NumberField
                label="Turbidity"
                unit="1–10"
                value={sky.turbidity}
                digits={1}
                step={0.5}
                min={1}
                max={10}
                onChange={(turbidity) => setPart(sky, { turbidity })}
              />
            </div>
            <div className="flex flex-col gap-1 pb-1">
              <Switch label="Sun's disc" on={sky.disc} onChange={(disc) => setPart(sky, { disc })} />
              <Switch label="By date" on={byDate} onChange={setByDate} />
            </div>
          </>
        )}
        {kind === "picture" && (
          <label className="flex flex-col gap-0.5">
            <span className="text-xs text-base-content/75">
              {sky.kind === "picture" ? sky.file : "Choose an .hdr or .exr of what is all round"}
            </span>
            <input
              type="file"
              accept=".hdr,.exr,.jpg,.jpeg,.png"
              className="file-input file-input-sm w-64 bg-base-100"
              data-testid="surroundings-file"
              disabled={bring.isPending}
              onChange={(e) => {
                const file = e.target.files?.[0];
                if (file) bring.mutate(file);
              }}
            />
          </label>
        )}
      </div>
      {kind === "sun" && sky.kind === "sun" && (
        <div className="mt-2 flex flex-wrap items-end gap-4">
          {byDate && (
            <SunByDate
              onSun={(elevation_deg, heading_deg) =>
                setPart(sky, { elevation_deg: Math.max(-5, elevation_deg), heading_deg })
              }
            />
          )}
          {!byDate && (
            <ColourField
              name="Ground colour"
              colour={sky.ground}
              onChange={(ground) =>
                setPart(sky, { ground: ground.map((v) => Math.min(1, v)) as SunSky["ground"] })
              }
            />
          )}
        </div>
      )}
      {bring.data && bring.data.notices.length > 0 && (
        <p className="mt-1 text-xs">
          <Mark kind="look">{bring.data.notices.join(" ")}</Mark>
        </p>
      )}
      <Problem error={bring.error ?? propose.error} />
      {propose.data && sky.kind === "picture" && (
        <p className="mt-1 text-xs text-base-content/75">
          {propose.data.sun_deg === null
            ? `No sun is seen in it; an overcast sky gives ${light(propose.data.illuminance_lx)} lx on the ground.`
            : `Its sun stands ${degrees(propose.data.sun_deg, 0)} high and gives ${light(propose.data.illuminance_lx)} lx in clear air.`}
        </p>
      )}
      <div className="mt-2 flex flex-wrap items-end gap-3">
        <div className="w-24">
          <NumberField
            label="Turned by"
            unit="°"
            value={surroundings.turn_deg}
            digits={1}
            step={5}
            onChange={(v) => onChange((now) => ({ ...now, turn_deg: wrapHeading(v) }))}
          />
        </div>
        {sky.kind !== "sun" && (
          <div className="w-32">
            <NumberField
              label={sky.kind === "picture" ? "1 in it is" : "1 of its colour is"}
              unit="cd/m²"
              value={Number(surroundings.unit_cd_m2.toPrecision(6))}
              digits={surroundings.unit_cd_m2 < 10 ? 2 : 0}
              step={surroundings.unit_cd_m2 / 10}
              min={0.001}
              max={1e9}
              onChange={(unit_cd_m2) => onChange((now) => ({ ...now, unit_cd_m2 }))}
            />
          </div>
        )}
        {sky.kind === "picture" && (
          <button
            type="button"
            className="btn btn-sm px-2.5 font-normal"
            title="By the sun that is seen in it, or by its light on the ground"
            disabled={propose.isPending}
            onClick={() => propose.mutate()}
          >
            Propose
          </button>
        )}
        <div className="w-32">
          <NumberField
            label="Brightness as light"
            unit="stops"
            value={surroundings.light_stops}
            digits={1}
            step={0.5}
            min={-20}
            max={20}
            onChange={(light_stops) => onChange((now) => ({ ...now, light_stops }))}
          />
        </div>
        <div className="w-32">
          <NumberField
            label="Brightness as seen"
            unit="stops"
            value={surroundings.backdrop_stops}
            digits={1}
            step={0.5}
            min={-20}
            max={20}
            onChange={(backdrop_stops) => onChange((now) => ({ ...now, backdrop_stops }))}
          />
        </div>
        <div className="pb-1.5">
          <Switch
            label="No backdrop (alpha)"
            hint="Nothing is seen where the sky would be; order the alpha pass to replace it."
            on={surroundings.transparent}
            onChange={(transparent) => onChange((now) => ({ ...now, transparent }))}
          />
        </div>
      </div>
    </fieldset>
  );
}
