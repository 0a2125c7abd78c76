import { useQuery } from "@tanstack/react-query";
import { api } from "../api/client";
import { keys } from "../api/changes";
import type { DepthInfo } from "../generated/DepthInfo";
import type { Pose } from "../generated/Pose";
import type { Rig } from "../generated/Rig";
import type { Title } from "../generated/Title";
import type { TitleInfo } from "../generated/TitleInfo";
import { Choice } from "../parts/Choice";
import { LengthField } from "../parts/LengthField";
import { Mark } from "../parts/Mark";
import { NumberField } from "../parts/NumberField";
import { length } from "../parts/units";
import { isFaces } from "../pictures/pictures";

/** What a title is to the eyes, in words. */
function Told({ info }: { info: TitleInfo | undefined }) {
  if (!info) return null;
  if (info.missing)
    return (
      <p className="text-xs" data-testid="title-told">
        <Mark kind="look">
          <span className="text-base-content">
            Its picture is not there any more. Choose another one, or its text.
          </span>
        </Mark>
      </p>
    );
  const parallax =
    info.px !== null
      ? `Parallax ${info.px.toFixed(1)} px.`
      : info.degrees !== null
        ? `${info.degrees.toFixed(2)}° between the eyes.`
        : "";
  if (!info.covers)
    return (
      <p className="text-xs text-base-content/80" data-testid="title-told">
        {parallax}
      </p>
    );
  const { object, distance_m, nearer_m, share } = info.covers;
  return (
    <p className="text-xs" data-testid="title-told">
      <Mark kind="look">
        <span className="text-base-content">
          {parallax} It covers {object} at {length(distance_m)}, which is nearer ({(share * 100).toFixed(0)} %
          of the title). Bring it to {length(nearer_m)} or nearer.
        </span>
      </Mark>
    </p>
  );
}

/** Titles before the eyes: text or a picture at a heading, pitch, size and distance. */
export function TitleFields({
  rig,
  pose,
  depth,
  onChange,
}: {
  rig: Rig;
  pose: Pose;
  depth: DepthInfo | null;
  onChange: (part: Partial<Rig>) => void;
}) {
  const { data } = useQuery({ queryKey: keys.pictures, queryFn: api.pictures });
  const { titles } = rig;
  // Six faces and pairs are no single picture.
  const brought = (data?.pictures ?? []).filter((p) => p.packing === null && !isFaces(p));
  const set = (at: number, part: Partial<Title>) =>
    onChange({ titles: titles.map((t, i) => (i === at ? { ...t, ...part } : t)) });
  const add = () =>
    onChange({
      titles: [
        ...titles,
        {
          text: "Title",
          picture: null,
          dark: false,
          heading_deg: Number(pose.heading_deg.toFixed(2)),
          // One below the other.
          pitch_deg: Math.max(-90, (rig.kind === "flat" ? rig.flat.pitch_deg : 0) - 6 * titles.length),
          height_deg: 4,
          // Where zero parallax is, it lies on the screen.
          distance_m: Number((depth?.convergence_m ?? 3).toFixed(3)),
        },
      ],
    });
  return (
    <div className="space-y-3">
      <p className="text-xs text-base-content/80">
        Titles stand in the scene, so that their parallax follows from their distance. They are drawn in what
        is shown and handed over, never in the master.
      </p>
      {titles.map((title, at) => {
        const info = depth?.titles[at];
        return (
          <fieldset
            key={at}
            className="space-y-1.5 rounded-field border border-base-300 p-2"
            data-testid="title"
            aria-label={`Title ${at + 1}`}
          >
            <label className="block text-xs">
              <span className="text-base-content/80">Text</span>
              <textarea
                className="textarea textarea-sm min-h-0 w-full leading-tight"
                rows={Math.min(4, title.text.split("\n").length)}
                maxLength={400}
                defaultValue={title.text}
                key={title.text}
                onBlur={(e) => e.target.value !== title.text && set(at, { text: e.target.value })}
              />
            </label>
            <div className="grid grid-cols-2 gap-x-3 gap-y-1.5">
              <Choice
                label="Shows"
                value={title.picture === null ? "" : String(title.picture)}
                options={[["", "its text"] as const, ...brought.map((p) => [String(p.id), p.file] as const)]}
                onChange={(id) => set(at, { picture: id === "" ? null : Number(id) })}
              />
              {title.picture === null && (
                <Choice
                  label="Letters"
                  value={title.dark ? "black" : "white"}
                  options={[
                    ["white", "white"],
                    ["black", "black"],
                  ]}
                  onChange={(to) => set(at, { dark: to === "black" })}
                />
              )}
              <NumberField
                label="Heading"
                unit="°"
                digits={1}
                value={title.heading_deg}
                onChange={(heading_deg) => set(at, { heading_deg })}
              />
              <NumberField
                label="Pitch"
                unit="°"
                digits={1}
                min={-90}
                max={90}
                value={title.pitch_deg}
                onChange={(pitch_deg) => set(at, { pitch_deg })}
              />
              <NumberField
                label={title.picture === null ? "Height of a line" : "Height"}
                unit="°"
                digits={2}
                step={0.5}
                min={0.05}
                max={120}
                value={title.height_deg}
                onChange={(height_deg) => set(at, { height_deg })}
              />
              <LengthField
                label="Distance"
                value={title.distance_m}
                min={0.01}
                max={100000}
                onChange={(distance_m) => set(at, { distance_m })}
              />
            </div>
            <Told info={info} />
            <div className="flex gap-2">
              {info?.covers && (
                <button
                  type="button"
                  className="btn btn-xs"
                  onClick={() =>
                    info.covers && set(at, { distance_m: Math.floor(info.covers.nearer_m * 1000) / 1000 })
                  }
                >
                  Bring it there
                </button>
              )}
              <button
                type="button"
                className="btn btn-xs btn-ghost"
                aria-label={`Take out title ${at + 1}`}
                onClick={() => onChange({ titles: titles.filter((_, i) => i !== at) })}
              >
                Take out
              </button>
            </div>
          </fieldset>
        );
      })}
      <button type="button" className="btn btn-sm w-full" disabled={titles.length >= 24} onClick={add}>
        Add a title
      </button>
    </div>
  );
}
