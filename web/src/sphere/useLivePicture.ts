import { useEffect, useRef, useState } from "react";
import { api, type LivePicture } from "../api/client";
import type { PairShown } from "../generated/PairShown";
import type { Pose } from "../generated/Pose";
import type { Rig } from "../generated/Rig";

/** While something moves: its own colours without the scene's light, many times a second. */
const MOVING_WIDTH = 192;
/** Lit pictures, large enough to judge from the first. */
const WIDTH = 512;

export interface Live extends Partial<LivePicture> {
  url: string | null;
  problem: unknown;
  /** Pictures shown so far. */
  shown: number;
}

/** How far the light of a live picture is; nothing before it has any. */
export function lightWords({ samples, enough, calm, lit }: Live): string | null {
  if (samples) return `${samples} of ${enough} samples${calm ? ", denoised" : ""}`;
  return lit ? `first light, ${Math.ceil(lit * 100)} % of the pixels` : null;
}

interface Options {
  clay?: boolean;
  /** Whether the pose is being moved right now. */
  moving?: boolean;
  /** Number of the light setup, if it is not the one in use. */
  setup?: number;
  /** The pair of eyes, and what is shown of it. */
  rig?: Rig;
  show?: PairShown;
}

const sleep = (ms: number) => new Promise((r) => setTimeout(r, ms));

/**
 * The live unrolled picture of a pose. A quick one comes at once and follows every move; once nothing moves,
 * lit ones follow that get better.
 */
export function useLivePicture(
  project: number,
  pose: Pose,
  settings: unknown,
  { clay = false, moving = false, setup, rig, show: shown }: Options = {},
): Live {
  const [live, setLive] = useState<Live>({ url: null, problem: null, shown: 0 });
  const view = JSON.stringify([project, pose, settings, clay, setup, rig, shown]);
  const key = JSON.stringify([view, moving]);
  const busy = useRef<Promise<unknown> | null>(null);
  const seen = useRef("");
  useEffect(() => {
    const stop = new AbortController();
    const light = {
      ...(setup === undefined ? {} : { setup }),
      ...(rig === undefined ? {} : { rig }),
      ...(shown === undefined ? {} : { show: shown }),
    };
    const show = (picture: LivePicture) => {
      const url = URL.createObjectURL(picture.picture);
      setLive((before) => {
        if (before.url) URL.revokeObjectURL(before.url);
        return { ...picture, url, problem: null, shown: before.shown + 1 };
      });
    };
    const run = async () => {
      // One quick picture at a time: while it is made, only the last of the poses is remembered. It is shown
      // even if the pose has moved on, or nothing would be seen during a long drag.
      while (busy.current) await busy.current.catch(() => undefined);
      if (stop.signal.aborted) return;
      // Where a move ends the last of its pictures is there already.
      if (moving || seen.current !== view) {
        const quick = api.live(
          project,
          { pose, width: MOVING_WIDTH, clay, quick: true, ...light },
          new AbortController().signal,
        );
        busy.current = quick;
        try {
          show(await quick);
          seen.current = view;
        } finally {
          busy.current = null;
        }
        if (moving) return;
        await sleep(30);
      }
      for (;;) {
        if (stop.signal.aborted) return;
        const picture = await api.live(project, { pose, width: WIDTH, clay, ...light }, stop.signal);
        if (stop.signal.aborted) return;
        show(picture);
        if (picture.samples >= picture.enough) break;
      }
    };
    run().catch((problem: unknown) => {
      if (!stop.signal.aborted) setLive((before) => ({ ...before, problem }));
    });
    return () => stop.abort();
    // The key stands for everything by value.
    // oxlint-disable-next-line react-hooks/exhaustive-deps
  }, [key]);
  return live;
}
