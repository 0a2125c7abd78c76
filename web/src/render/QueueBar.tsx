import { useMutation, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api } from "../api/client";
import { keys } from "../api/changes";
import type { JobInfo } from "../generated/JobInfo";
import { BeginLater } from "../jobs/BeginLater";
import { Mark } from "../parts/Mark";
import { Problem } from "../parts/Problem";
import { duration } from "../parts/units";

/** So far back is told what ended, seconds: a night and the evening before it. */
const BACK = 16 * 3600;

/** What was made while nobody looked: how many, what failed and why, the noise reached, the time it took. */
function Ended({ jobs }: { jobs: readonly JobInfo[] }) {
  const done = jobs.filter((j) => j.state === "done");
  const failed = jobs.filter((j) => j.state === "failed");
  const noises = done.flatMap((j) => (j.noise_percent === null ? [] : [j.noise_percent]));
  const spent = jobs.reduce((sum, j) => sum + j.spent_s, 0);
  const first = Math.min(...jobs.map((j) => j.ended ?? Infinity));
  const since = new Date(first * 1000).toLocaleString("en-GB", {
    weekday: "short",
    hour: "2-digit",
    minute: "2-digit",
  });
  return (
    <details className="text-xs" data-testid="ended">
      <summary className="cursor-pointer text-base-content/80">
        Since {since}: {done.length} made
        {failed.length > 0 && `, ${failed.length} failed`}, {duration(spent)} of work
        {noises.length > 0 && `, noise up to ${Math.max(...noises).toFixed(1)} %`}
      </summary>
      <ul className="mt-1 max-h-40 space-y-0.5 overflow-y-auto">
        {jobs.map((j) => (
          <li key={j.id} className="flex gap-2">
            <Mark kind={j.state === "done" ? "fine" : j.state === "failed" ? "stop" : "look"}>
              <span className="text-base-content/90">
                {j.what}, {duration(j.spent_s)}
                {j.noise_percent !== null && `, noise ${j.noise_percent.toFixed(1)} %`}
                {j.problem !== null && `: ${j.problem}`}
              </span>
            </Mark>
          </li>
        ))}
      </ul>
    </details>
  );
}

/** What can be done with all orders of a project that wait, and what ended lately. */
export function QueueBar({ project, jobs }: { project: number; jobs: readonly JobInfo[] }) {
  const own = jobs.filter((j) => j.kind === "order" && j.project === project);
  const waiting = own.filter((j) => j.state === "waiting").length;
  const held = own.filter((j) => j.state === "held").length;
  const [since] = useState(() => Math.floor(Date.now() / 1000) - BACK);
  const { data: ended = [] } = useQuery({
    queryKey: [...keys.jobs, "ended"],
    queryFn: () => api.endedJobs(since),
  });
  const renders = ended.filter((j) => j.kind === "order" && j.project === project);
  const change = useMutation({ mutationFn: api.changeJobs });
  return (
    <>
      <div className="ml-9 flex flex-wrap items-center gap-2">
        <h2 className="text-lg">Queue</h2>
        {waiting > 0 && (
          <button
            type="button"
            className="btn btn-ghost btn-xs font-normal"
            onClick={() => change.mutate({ held: true, project })}
          >
            Hold all {waiting}
          </button>
        )}
        {held > 0 && (
          <>
            <button
              type="button"
              className="btn btn-xs font-normal"
              onClick={() => change.mutate({ held: false, project, not_before: 0 })}
            >
              Release all {held}
            </button>
            <BeginLater
              notBefore={null}
              words="Release all at a time"
              onChange={(at) => change.mutate({ held: false, project, not_before: at })}
            />
          </>
        )}
        <span className="flex-1" />
        {renders.length > 1 && <Ended jobs={renders} />}
      </div>
      <Problem error={change.error} />
    </>
  );
}
