import { useMutation, useQuery } from "@tanstack/react-query";
import { api } from "../api/client";
import { keys } from "../api/changes";
import type { JobChange } from "../generated/JobChange";
import type { JobState } from "../generated/JobState";
import { Problem } from "../parts/Problem";
import { BeginLater } from "./BeginLater";
import { ahead, isOpen, sameLane } from "./states";

/** What can be done with a job on its way: stopped and resumed, held and released, moved to the front, made elsewhere. */
export function JobButtons({ job, state }: { job: number; state: JobState }) {
  const stop = useMutation({ mutationFn: () => api.stopJob(job) });
  const resume = useMutation({ mutationFn: () => api.resumeJob(job) });
  const change = useMutation({ mutationFn: (to: JobChange) => api.changeJob(job, to) });
  const { data: jobs = [] } = useQuery({ queryKey: keys.jobs, queryFn: api.jobs });
  const own = jobs.find((j) => j.id === job);
  const first = jobs.find((j) => j.state === "waiting" && own && sameLane(j, own));
  const button = (label: string, title: string, onClick: () => void) => (
    <button type="button" className="btn btn-ghost btn-xs font-normal" title={title} onClick={onClick}>
      {label}
    </button>
  );
  return (
    <>
      {isOpen(state) && button("Stop", "What is finished of it is kept", () => stop.mutate())}
      {(state === "stopped" || state === "failed") &&
        button("Resume", "Goes on from what is finished", () => resume.mutate())}
      {state === "waiting" &&
        button("Hold", "Others have their turn until it is released", () => change.mutate({ held: true }))}
      {state === "held" && button("Release", "It waits for its turn", () => change.mutate({ held: false }))}
      {state === "waiting" &&
        first &&
        ahead(jobs, job) > 0 &&
        first.id !== job &&
        button("Next", "Before all others that wait", () => change.mutate({ before: first.id }))}
      {own?.on_farm === true &&
        state !== "running" &&
        button("Make it here", "On this machine; what the farm has finished comes home", () =>
          change.mutate({ here: true }),
        )}
      {own?.on_farm === false &&
        state !== "running" &&
        button("Give it to the farm", "Many machines make it together", () => change.mutate({ here: false }))}
      {state === "waiting" && own && (
        <BeginLater notBefore={own.not_before} onChange={(at) => change.mutate({ not_before: at })} />
      )}
      <Problem error={stop.error ?? resume.error ?? change.error} />
    </>
  );
}
