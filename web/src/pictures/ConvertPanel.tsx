import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { useLocation } from "wouter";
import { api } from "../api/client";
import { ended, keys } from "../api/changes";
import type { BroughtPicture } from "../generated/BroughtPicture";
import { Choice } from "../parts/Choice";
import { NumberField } from "../parts/NumberField";
import { refused } from "../parts/numbers";
import { Problem } from "../parts/Problem";
import { Switch } from "../parts/Switch";
import { ShapeChooser } from "../render/ShapeChooser";
import type { View } from "../sphere/geometry";
import { FORMATS, keeping } from "./pictures";

const KERNELS = [
  ["bilinear", "Bilinear, 2 × 2 px"],
  ["bicubic", "Bicubic, 4 × 4 px"],
  ["lanczos", "Lanczos, 6 × 6 px, sharpest"],
] as const;

/** Another shape of the picture, as a picture of its own. */
export function ConvertPanel({ picture, view }: { picture: BroughtPicture; view: View }) {
  const queries = useQueryClient();
  const [, go] = useLocation();
  const [shape, setShape] = useState(picture.shape === "equirect" ? "cube-3x2" : "equirect");
  const [keep, setKeep] = useState(true);
  const [width, setWidth] = useState(2048);
  const [turn, setTurn] = useState<[number, number, number]>([0, 0, 0]);
  const [kernel, setKernel] = useState<(typeof KERNELS)[number][0]>("bicubic");
  const [format, setFormat] = useState(keeping(picture));
  const convert = useMutation({
    mutationFn: async () =>
      ended(await api.convertPicture(picture.id, { shape, width: keep ? 0 : width, turn, kernel, format })),
    onSuccess: async (job) => {
      if (!job) return;
      await queries.invalidateQueries({ queryKey: keys.pictures });
      go(`/pictures/${job.makes}`);
    },
  });
  const turned = (at: 0 | 1 | 2) => (v: number) =>
    setTurn(turn.map((old, i) => (i === at ? v : old)) as [number, number, number]);
  return (
    <form
      className="grid gap-x-6 gap-y-3 min-[1200px]:grid-cols-[19rem_minmax(0,1fr)]"
      noValidate
      onSubmit={(e) => {
        e.preventDefault();
        if (!refused(e.currentTarget)) convert.mutate();
      }}
    >
      <div>
        <ShapeChooser shape={shape} onChange={(o) => setShape(o.shape)} files />
      </div>
      <div className="flex flex-col gap-3">
        <div className="grid grid-cols-[repeat(3,minmax(0,8rem))_auto] items-end justify-start gap-3">
          <NumberField label="Turn to heading" value={turn[0]} unit="°" digits={1} onChange={turned(0)} />
          <NumberField label="Pitch" value={turn[1]} unit="°" digits={1} onChange={turned(1)} />
          <NumberField label="Roll" value={turn[2]} unit="°" digits={1} onChange={turned(2)} />
          <button
            type="button"
            className="btn btn-ghost btn-sm font-normal"
            onClick={() => setTurn([Number(view.lon.toFixed(1)), Number(view.lat.toFixed(1)), turn[2]])}
          >
            As the Lookout
          </button>
        </div>
        <div className="grid grid-cols-[minmax(0,13rem)_minmax(0,8rem)_minmax(0,13rem)] items-end gap-3">
          <Switch label="Keep the detail" on={keep} onChange={setKeep} />
          <NumberField
            label="Width"
            value={width}
            unit="px"
            min={4}
            max={65536}
            disabled={keep}
            onChange={setWidth}
          />
          <Choice label="Between pixels" value={kernel} options={KERNELS} onChange={setKernel} />
        </div>
        <div className="grid grid-cols-[13rem_8rem] items-end gap-3">
          <Choice label="Save as" value={format} options={FORMATS} onChange={setFormat} />
          <button
            type="submit"
            className="btn btn-primary btn-sm"
            disabled={convert.isPending}
            data-testid="convert"
          >
            {convert.isPending ? "Converting …" : "Convert"}
          </button>
        </div>
        <Problem error={convert.error} />
      </div>
    </form>
  );
}
