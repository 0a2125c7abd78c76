import { useEffect, useState } from "react";
import { api, type LivePicture } from "../api/client";
import type { Pose } from "../generated/Pose";

/** Small enough to come at once, larger ones soon after; then large enough to judge. */
const FIRST_WIDTHS = [128, 256];
const WIDTH = 512;

export interface Live extends Partial<LivePicture> {
  url: string | null;
  problem: unknown;
}

const sleep = (ms: number) => new Promise((r) => setTimeout(r, ms));

/** The live unrolled picture of a pose: a small one at once, then a larger one that gets better while nothing moves. */
export function useLivePicture(project: number, pose: Pose, settings: unknown, clay = false): Live {
  const [live, setLive] = useState<Live>({ url: null, problem: null });
  const key = JSON.stringify([project, pose, settings, clay]);
  useEffect(() => {
    const stop = new AbortController();
    const show = (picture: LivePicture) => {
      if (stop.signal.aborted) return;
      const url = URL.createObjectURL(picture.picture);
      setLive((before) => {
        if (before.url) URL.revokeObjectURL(before.url);
        return { ...picture, url, problem: null };
      });
    };
    const run = async () => {
      // While something is dragged only the last place of a short while is asked for.
      await sleep(40);
      if (stop.signal.aborted) return;
      for (const width of FIRST_WIDTHS) {
        show(await api.live(project, { pose, width, clay }, stop.signal));
      }
      for (;;) {
        const picture = await api.live(project, { pose, width: WIDTH, clay }, stop.signal);
        show(picture);
        if (picture.samples >= picture.enough) return;
      }
    };
    run().catch((problem: unknown) => {
      if (!stop.signal.aborted) setLive((before) => ({ ...before, problem }));
    });
    return () => stop.abort();
    // The key stands for project, pose, settings and clay by value.
    // oxlint-disable-next-line react-hooks/exhaustive-deps
  }, [key]);
  return live;
}
