import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { useLocation } from "wouter";
import { api } from "../api/client";
import { ended, keys } from "../api/changes";
import type { BroughtPicture } from "../generated/BroughtPicture";
import { Choice } from "../parts/Choice";
import { Mark } from "../parts/Mark";
import { Problem } from "../parts/Problem";

/** The rows of a sinusoidal map are as wide as their circles of latitude. */
const SINUSOIDAL = [1, -1]
  .map((side) =>
    Array.from({ length: 61 }, (_, i) => {
      const lat = (90 - i * 3) * side;
      return `${(180 + side * 180 * Math.cos((lat * Math.PI) / 180)).toFixed(1)} ${90 - lat}`;
    }).join(" L"),
  )
  .join(" L");

/** What the diagnosis found, where it is: the outline of a sinusoidal map, edges and poles that do not meet. */
export function DiagnosisMarks({ picture }: { picture: BroughtPicture }) {
  const { data } = useQuery({
    queryKey: ["diagnosis", picture.id, null],
    queryFn: () => api.diagnosis(picture.id, null),
    staleTime: Infinity,
  });
  const path =
    data?.fault === "sinusoidal"
      ? `M${SINUSOIDAL}Z`
      : data?.fault === "not-a-sphere"
        ? "M1.5 1.5H358.5V178.5H1.5Z"
        : null;
  if (!path) return null;
  return (
    <svg
      viewBox="0 0 360 180"
      className="pointer-events-none absolute inset-0 size-full"
      aria-hidden="true"
      data-testid="diagnosis-marks"
    >
      <path d={path} fill="none" stroke="#15181e" strokeWidth="2.4" />
      <path d={path} fill="none" stroke="#ffb59c" strokeWidth="1.1" strokeDasharray="4 2" />
    </svg>
  );
}

/** Whether a picture is the sphere it is said to be, and what is wrong if not. */
export function DiagnosisPanel({ picture, others }: { picture: BroughtPicture; others: BroughtPicture[] }) {
  const queries = useQueryClient();
  const [, go] = useLocation();
  const [against, setAgainst] = useState("");
  const reference = against === "" ? null : Number(against);
  const { data, error } = useQuery({
    queryKey: ["diagnosis", picture.id, reference],
    queryFn: () => api.diagnosis(picture.id, reference),
    staleTime: Infinity,
  });
  const mend = useMutation({
    mutationFn: async () => ended(await api.mendPicture(picture.id, reference)),
    onSuccess: async (job) => {
      if (!job) return;
      await queries.invalidateQueries({ queryKey: keys.pictures });
      go(`/pictures/${job.makes}`);
    },
  });
  const spheres = others.filter((o) => o.id !== picture.id && o.shape === "equirect");
  const options: [string, string][] = [
    ["", "nothing"],
    ...spheres.map((o): [string, string] => [String(o.id), o.file]),
  ];
  return (
    <div className="flex max-w-3xl flex-col gap-3" data-testid="diagnosis">
      <p className="text-sm">
        {data ? (
          <>
            <Mark kind={data.fault === "none" ? "fine" : "look"} /> {data.what}{" "}
            <span className="text-base-content/75">({(data.confidence * 100).toFixed(0)} % sure)</span>
          </>
        ) : (
          !error && "Looking at edges, poles and corners …"
        )}
      </p>
      <div className="flex items-end gap-3">
        <Choice
          label="Compare with a right picture of the same sphere"
          value={against}
          options={options}
          onChange={setAgainst}
          className="w-80"
        />
        {data?.can_mend && (
          <button
            type="button"
            className="btn btn-primary btn-sm"
            disabled={mend.isPending}
            onClick={() => mend.mutate()}
          >
            Mend it
          </button>
        )}
      </div>
      <p className="text-xs text-base-content/75">
        A quarter turn and a mirror image cannot be told from a picture alone; they are told against one that
        is right.
      </p>
      <Problem error={error ?? mend.error} />
    </div>
  );
}
