import { useMutation } from "@tanstack/react-query";
import { api } from "../api/client";
import type { BroughtPicture } from "../generated/BroughtPicture";
import type { JobInfo } from "../generated/JobInfo";
import { JobRow } from "../jobs/JobRow";
import { ConfirmButton } from "../parts/ConfirmButton";
import { Mark } from "../parts/Mark";
import { shapeName } from "../render/shapes";
import { flatOf } from "./pictures";

interface Props {
  pictures: BroughtPicture[];
  /** What is being made, or could not be. */
  jobs: JobInfo[];
  /** Numbers of those that cannot be read. */
  unreadable: number[];
  chosen: number | null;
  /** Those that are to be put together. */
  picked: number[];
  onPick: (ids: number[]) => void;
  onChoose: (id: number) => void;
}

const about = (p: BroughtPicture) =>
  `${p.width} × ${p.height} px · ${p.packing ? "both eyes, " : ""}${p.shape ? shapeName(p.shape) : "shape not known"}`;

/** All pictures, newest first, and above them what is being made. */
export function PictureList({ pictures, jobs, unreadable, chosen, picked, onPick, onChoose }: Props) {
  const remove = useMutation({ mutationFn: api.removePicture });
  return (
    <ul className="scrolls min-h-0 flex-1 space-y-1" data-testid="pictures">
      {jobs.map((job) => (
        <JobRow key={`job-${job.id}`} job={job} onRemove={() => remove.mutate(job.makes)} />
      ))}
      {unreadable.map((id) => (
        <li key={`unreadable-${id}`} className="rounded-field border border-base-300 p-2 text-xs">
          <Mark kind="look">Picture {id} cannot be read; put a copy of the database back, or remove it.</Mark>
          <ConfirmButton
            className="btn-xs"
            label="Remove"
            question={`Remove picture ${id}?`}
            onConfirm={() => remove.mutate(id)}
          />
        </li>
      ))}
      {pictures.map((p) => (
        <li
          key={p.id}
          className={`group relative flex items-center gap-2 rounded-field p-1 ${p.id === chosen ? "bg-base-300" : "hover:bg-base-200"}`}
        >
          {p.width === p.height && (
            <input
              type="checkbox"
              className="checkbox checkbox-xs rounded-sm"
              aria-label={`Take ${p.file} for a cube`}
              checked={picked.includes(p.id)}
              onChange={(e) =>
                onPick(e.target.checked ? [...picked, p.id] : picked.filter((id) => id !== p.id))
              }
            />
          )}
          <button
            type="button"
            className="flex min-w-0 flex-1 items-center gap-2 text-left"
            aria-labelledby={`picture-${p.id}`}
            data-picture={p.file}
            aria-current={p.id === chosen}
            onClick={() => onChoose(p.id)}
          >
            <img src={flatOf(p)} alt="" className="mid-grey h-9 w-16 shrink-0 object-contain" />
            <span className="min-w-0" id={`picture-${p.id}`}>
              <span className="block truncate text-[13px]" title={p.file}>
                {p.file}
              </span>
              <span className="block truncate text-xs text-base-content/75">{about(p)}</span>
            </span>
          </button>
          <span className="absolute right-1 bottom-1 rounded-field bg-base-100 opacity-0 group-focus-within:opacity-100 group-hover:opacity-100">
            <ConfirmButton
              label="Remove"
              question="Remove for good?"
              ariaLabel={`Remove ${p.file}`}
              className="btn-xs"
              onConfirm={() => remove.mutate(p.id)}
            />
          </span>
        </li>
      ))}
    </ul>
  );
}
