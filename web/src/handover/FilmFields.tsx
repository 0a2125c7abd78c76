import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, uploadSound } from "../api/client";
import type { FilmChoice } from "../generated/FilmChoice";
import { Choice } from "../parts/Choice";
import { NumberField } from "../parts/NumberField";
import { Problem } from "../parts/Problem";
import { SelectField } from "../parts/SelectField";

/** Encodings and what they are for. */
const CODECS: readonly (readonly [string, string])[] = [
  ["h264", "H.264, plays everywhere"],
  ["h265", "H.265, for large films"],
  ["av1", "AV1, for the web"],
  ["prores", "ProRes, for editors"],
];

/** How a film is encoded and what is heard: fields of a grid of three. */
export function FilmFields({
  project,
  value,
  onChange,
}: {
  project: number;
  value: FilmChoice;
  onChange: (to: FilmChoice) => void;
}) {
  const queries = useQueryClient();
  const { data: sounds = [] } = useQuery({
    queryKey: ["sounds", project],
    queryFn: () => api.sounds(project),
  });
  const { data: codecs = [] } = useQuery({
    queryKey: ["film-codecs"],
    queryFn: api.filmCodecs,
    staleTime: Infinity,
  });
  const quality = codecs.find((c) => c.name === value.codec)?.usual_quality ?? null;
  const { quality: _quality, kilobits: _kilobits, sound, ...rest } = value;
  const add = useMutation({
    mutationFn: (file: File) => uploadSound(project, file),
    onSuccess: async (name) => {
      await queries.invalidateQueries({ queryKey: ["sounds", project] });
      onChange({ ...value, sound: name });
    },
  });
  return (
    <>
      <SelectField
        label="Encoding"
        className="col-span-2"
        value={value.codec}
        options={CODECS}
        onChange={(codec) => onChange({ ...(sound === undefined ? {} : { sound }), codec })}
      />
      {quality !== null && (
        <Choice
          label="Size by"
          value={value.kilobits === undefined ? "quality" : "rate"}
          options={[
            ["quality", "quality"],
            ["rate", "bit rate"],
          ]}
          onChange={(by) =>
            onChange({
              ...rest,
              ...(sound === undefined ? {} : { sound }),
              ...(by === "rate" ? { kilobits: 40_000 } : {}),
            })
          }
        />
      )}
      {quality !== null && value.kilobits === undefined && (
        <NumberField
          label="Quality, 0 is best"
          unit="of 63"
          min={0}
          max={63}
          value={value.quality ?? quality}
          onChange={(q) => onChange({ ...value, quality: Math.round(q) })}
        />
      )}
      {value.kilobits !== undefined && (
        <NumberField
          label="Bit rate"
          unit="kbit/s"
          min={100}
          max={2_000_000}
          step={1000}
          value={value.kilobits}
          onChange={(k) => onChange({ ...value, kilobits: Math.round(k) })}
        />
      )}
      <SelectField
        label="Sound"
        value={sound ?? ""}
        options={[["", "none"], ...sounds.map((name) => [name, name] as const)]}
        onChange={(name) => {
          const { sound: _sound, ...without } = value;
          onChange(name === "" ? without : { ...value, sound: name });
        }}
      />
      <label className="btn btn-sm self-end font-normal">
        {add.isPending ? "Adding it" : "Add a WAV"}
        <input
          type="file"
          accept=".wav,audio/wav"
          className="sr-only"
          onChange={(e) => {
            const file = e.target.files?.[0];
            if (file) add.mutate(file);
            e.target.value = "";
          }}
        />
      </label>
      <div className="col-span-3 empty:hidden">
        <Problem error={add.error} />
      </div>
    </>
  );
}
