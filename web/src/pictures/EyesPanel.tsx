import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { useLocation } from "wouter";
import { api } from "../api/client";
import { ended, keys } from "../api/changes";
import type { BroughtPicture } from "../generated/BroughtPicture";
import type { JobInfo } from "../generated/JobInfo";
import { Choice } from "../parts/Choice";
import { Mark } from "../parts/Mark";
import { Problem } from "../parts/Problem";
import { Switch } from "../parts/Switch";
import { PairChart } from "./PairChart";
import { LYING, VIEWS } from "./eyes";
import { FORMATS, keeping } from "./pictures";

const OF_EYES = [
  ["left", "the left eye alone"],
  ["right", "the right eye alone"],
  ["half-colour", "an anaglyph, half colour"],
  ["grey", "an anaglyph, grey"],
  ["full-colour", "an anaglyph, full colour"],
  ["least-squares", "an anaglyph, least squares"],
] as const;

/** Makes a picture and opens it. */
function useMaking(order: () => Promise<JobInfo>) {
  const queries = useQueryClient();
  const [, go] = useLocation();
  return useMutation({
    mutationFn: async () => ended(await order()),
    onSuccess: async (job) => {
      if (!job) return;
      await queries.invalidateQueries({ queryKey: keys.pictures });
      go(`/pictures/${job.makes}`);
    },
  });
}

/** Two eyes laid into one file: those of this picture, or this one and another. */
function Laying({ picture, others }: { picture: BroughtPicture; others: BroughtPicture[] }) {
  const two = picture.packing !== null;
  const fitting = others.filter(
    (o) =>
      o.id !== picture.id && o.packing === null && o.width === picture.width && o.height === picture.height,
  );
  const [other, setOther] = useState("");
  const [swap, setSwap] = useState(false);
  const [packing, setPacking] = useState(picture.packing === "top-bottom" ? "side-by-side" : "top-bottom");
  const [format, setFormat] = useState(keeping(picture));
  const right = fitting.find((o) => String(o.id) === other) ?? fitting[0];
  const lay = useMaking(() =>
    api.layPair(picture.id, {
      ...(!two && right && { other: right.id }),
      swap,
      packing,
      format: packing === "views" ? "exr" : format,
    }),
  );
  if (!two && fitting.length === 0)
    return (
      <p className="max-w-xl text-sm text-base-content/80">
        This picture is taken for one eye’s. If two eyes lie in it, say how above; to join two pictures, bring
        the other eye’s too, of the same size.
      </p>
    );
  return (
    <div className="space-y-2" data-testid="laying">
      <div className="flex flex-wrap items-end gap-3">
        {!two && (
          <Choice
            label="Right eye’s picture"
            className="w-60"
            value={String(right?.id ?? "")}
            options={fitting.map((o) => [String(o.id), o.file] as const)}
            onChange={setOther}
          />
        )}
        <Choice
          label={two ? "Lay both eyes" : "Join both eyes"}
          className="w-60"
          value={packing}
          options={[...LYING, VIEWS]}
          onChange={setPacking}
        />
        {packing !== "views" && (
          <Choice label="Save as" className="w-40" value={format} options={FORMATS} onChange={setFormat} />
        )}
        <button
          type="button"
          className="btn btn-primary btn-sm"
          disabled={lay.isPending}
          onClick={() => lay.mutate()}
        >
          {lay.isPending ? "Laying …" : two ? "Lay them" : "Join them"}
        </button>
      </div>
      <div className="max-w-72">
        <Switch label="Left and right change places" on={swap} onChange={setSwap} />
      </div>
      <Problem error={lay.error} />
    </div>
  );
}

/** One picture of two eyes. */
function Taking({ picture }: { picture: BroughtPicture }) {
  const [show, setShow] = useState<string>("left");
  const [format, setFormat] = useState(keeping(picture));
  const take = useMaking(() => api.ofEyes(picture.id, { show, format }));
  return (
    <div className="space-y-2" data-testid="taking">
      <div className="flex flex-wrap items-end gap-3">
        <Choice label="Make" className="w-56" value={show} options={OF_EYES} onChange={setShow} />
        <Choice label="Save it as" className="w-40" value={format} options={FORMATS} onChange={setFormat} />
        <button type="button" className="btn btn-sm" disabled={take.isPending} onClick={() => take.mutate()}>
          {take.isPending ? "Making …" : "Make it"}
        </button>
      </div>
      <Problem error={take.error} />
    </div>
  );
}

/** What spoils a pair, with how sure that is, the chart of its parallax, and a mend. */
function Checked({ picture }: { picture: BroughtPicture }) {
  const { data, error } = useQuery({
    queryKey: ["pair", picture.id, picture.packing, picture.shape],
    queryFn: () => api.checkPair(picture.id),
    staleTime: Infinity,
  });
  const mend = useMaking(() => api.mendPair(picture.id));
  if (!data) return error ? <Problem error={error} /> : <p className="text-sm">Comparing both eyes …</p>;
  return (
    <div className="space-y-2" data-testid="pair-check">
      {data.findings.length === 0 && (
        <Mark kind="fine">
          <span className="text-sm text-base-content">Nothing was found that spoils the pair.</span>
        </Mark>
      )}
      {data.findings.length > 0 && (
        <ul className="space-y-1 text-sm">
          {data.findings.map((f) => (
            <li key={f.fault}>
              <Mark kind="look">
                <span className="text-base-content">
                  {f.what}{" "}
                  <span className="text-base-content/75">({(f.confidence * 100).toFixed(0)} % sure)</span>
                </span>
              </Mark>
            </li>
          ))}
        </ul>
      )}
      {data.findings.some((f) => f.can_mend) && (
        <button
          type="button"
          className="btn btn-primary btn-sm"
          disabled={mend.isPending}
          onClick={() => mend.mutate()}
        >
          {mend.isPending ? "Mending …" : "Mend the pair"}
        </button>
      )}
      {data.parallax_px && <PairChart found={data} />}
      <Problem error={mend.error} />
    </div>
  );
}

/** Two eyes: joined, laid otherwise, taken apart, seen through glasses, and checked. */
export function EyesPanel({ picture, others }: { picture: BroughtPicture; others: BroughtPicture[] }) {
  const two = picture.packing !== null;
  return (
    <div className={`grid gap-x-8 gap-y-4 ${two ? "xl:grid-cols-2" : ""}`} data-testid="eyes">
      <div className="space-y-4">
        <Laying key={`${picture.id}-${picture.packing}`} picture={picture} others={others} />
        {two && <Taking key={picture.id} picture={picture} />}
      </div>
      {two && <Checked picture={picture} />}
    </div>
  );
}
