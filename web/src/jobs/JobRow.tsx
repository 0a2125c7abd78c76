import { useQuery } from "@tanstack/react-query";
import { api } from "../api/client";
import { keys } from "../api/changes";
import type { JobInfo } from "../generated/JobInfo";
import { ConfirmButton } from "../parts/ConfirmButton";
import { Mark } from "../parts/Mark";
import { duration } from "../parts/units";
import { JobButtons } from "./JobButtons";
import { ahead, states } from "./states";

interface Props {
  job: JobInfo;
  /** What it makes is given up. */
  onRemove: () => void;
}

/** A job on its way: what it makes, how far it is, what can be done with it. */
export function JobRow({ job, onRemove }: Props) {
  const { data: jobs = [] } = useQuery({ queryKey: keys.jobs, queryFn: api.jobs });
  const before = ahead(jobs, job.id);
  const { kind, word } = states[job.state];
  return (
    <li
      className="rounded-field border border-base-300 p-2 text-xs"
      data-testid="job"
      data-job={job.id}
      data-state={job.state}
    >
      <p className="flex items-baseline justify-between gap-2">
        <span className="line-clamp-2" title={job.what}>
          {job.what}
        </span>
        <span className="shrink-0">
          <Mark kind={kind}>
            {word}
            {before > 0 && `, ${before} ahead`}
          </Mark>
        </span>
      </p>
      {job.state === "running" && (
        <>
          <progress
            className="progress progress-primary"
            value={job.progress}
            max={1}
            aria-label="How far it is"
          />
          <p className="text-base-content/75">
            {Math.floor(job.progress * 100)} %
            {job.remaining_s !== null && `, ${duration(job.remaining_s)} left`}
          </p>
        </>
      )}
      {job.problem && <p className="text-base-content/80">{job.problem}</p>}
      <div className="flex flex-wrap items-center gap-1">
        <JobButtons job={job.id} state={job.state} />
        {job.state !== "running" && (
          <ConfirmButton
            className="btn-xs ml-auto"
            label="Remove"
            question="Remove it from the queue?"
            ariaLabel={`Remove ${job.what}`}
            onConfirm={onRemove}
          />
        )}
      </div>
    </li>
  );
}
