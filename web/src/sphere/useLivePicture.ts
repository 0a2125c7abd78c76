import { useEffect, useRef, useState } from "react";
import { api, type LivePicture } from "../api/client";
import { usePresence } from "../api/presence";
import type { PairShown } from "../generated/PairShown";
import type { Pose } from "../generated/Pose";
import type { Rig } from "../generated/Rig";
import { wrapSigned } from "../parts/units";

/**
 * While something moves: its own colours without the scene's light, many times a second; as large as this machine makes and shows
 * them in the time of 17 to 28 a second, so that 15 are reached while the page has other work.
 */
const MOVING_WIDTHS = [128, 160, 192, 256, 320, 384, 512];
const USUAL_STEP = 2;
const SLOW_MS = 1000 / 17;
const FAST_MS = 1000 / 28;

/** The next of the widths, after a picture of one of them took some milliseconds from being asked for to being seen. */
function nextStep(step: number, ms: number): number {
  if (ms > SLOW_MS) return Math.max(0, step - 1);
  return ms < FAST_MS ? Math.min(MOVING_WIDTHS.length - 1, step + 1) : step;
}
/** Lit pictures, large enough to judge from the first. */
const WIDTH = 512;

export interface Live extends Partial<LivePicture> {
  url: string | null;
  problem: unknown;
  /** Pictures shown so far. */
  shown: number;
  /** How far the pose has turned to the right since the picture was made, degrees. */
  turned: number;
}

/** A picture that was shown, and what it shows. */
type Made = Omit<Live, "turned"> & { of: { pose: Pose; rest: string } | null };

/**
 * How far one pose is turned from another if nothing else differs. What a level eye sees all round is then the same picture, moved
 * sideways.
 */
function turn(from: Pose, to: Pose): number | null {
  const alike = [0, 1, 2].every((i) => from.position[i] === to.position[i]);
  const level = [from, to].every((p) => p.pitch_deg === 0 && p.roll_deg === 0);
  return alike && level ? wrapSigned(to.heading_deg - from.heading_deg) : null;
}

/** How far the light of a live picture is; nothing before it has any. */
export function lightWords({ samples, enough, calm, lit }: Omit<Live, "turned">): string | null {
  if (samples) return `${samples} of ${enough} samples${calm ? ", denoised" : ""}`;
  return lit ? `first light, ${Math.ceil(lit * 100)} % of the pixels` : null;
}

interface Options {
  clay?: boolean;
  /** Whether the pose is being moved right now. */
  moving?: boolean;
  /** Number of the light setup, if it is not the one in use. */
  setup?: number;
  /** The moment of the scene's motion, if it is not the project's, seconds. */
  moment?: number | undefined;
  /** The pair of eyes, and what is shown of it. */
  rig?: Rig;
  show?: PairShown;
  /** Whether a few samples will do. */
  brief?: boolean;
}

/** Samples that will do where a picture is only to be recognised. */
const BRIEF = 4;

const sleep = (ms: number) => new Promise((r) => setTimeout(r, ms));

/**
 * The live unrolled picture of a pose. A quick one comes at once and follows every move; once nothing moves,
 * lit ones follow that get better. One that is only turned needs no new picture until it stands still.
 */
export function useLivePicture(
  project: number,
  pose: Pose,
  settings: unknown,
  { clay = false, moving = false, setup, moment, rig, show: shown, brief = false }: Options = {},
): Live {
  const [{ of, ...live }, setLive] = useState<Made>({ url: null, problem: null, shown: 0, of: null });
  const rest = JSON.stringify([project, settings, clay, setup, moment, rig, shown]);
  const view = JSON.stringify([rest, pose]);
  const turned = rig?.kind !== "flat" && of?.rest === rest ? turn(of.pose, pose) : null;
  // Where the server was away it is asked once more.
  const { returns } = usePresence();
  const key = JSON.stringify([view, moving, returns]);
  const busy = useRef<Promise<unknown> | null>(null);
  const step = useRef(USUAL_STEP);
  const seen = useRef("");
  useEffect(() => {
    const stop = new AbortController();
    const light = {
      ...(setup === undefined ? {} : { setup }),
      ...(moment === undefined ? {} : { moment_s: moment }),
      ...(rig === undefined ? {} : { rig }),
      ...(shown === undefined ? {} : { show: shown }),
    };
    const show = (picture: LivePicture) => {
      const url = URL.createObjectURL(picture.picture);
      setLive((before) => {
        if (before.url) URL.revokeObjectURL(before.url);
        return { ...picture, url, problem: null, shown: before.shown + 1, of: { pose, rest } };
      });
    };
    const run = async () => {
      // One quick picture at a time: while it is made, only the last of the poses is remembered. It is shown
      // even if the pose has moved on, or nothing would be seen during a long drag.
      while (busy.current) await busy.current.catch(() => undefined);
      if (stop.signal.aborted) return;
      // Where a move ends the last of its pictures is there already.
      if (turned !== null) {
        seen.current = view;
        if (moving) return;
      } else if (moving || seen.current !== view) {
        const quick = api.live(
          project,
          { pose, width: MOVING_WIDTHS[step.current] ?? 192, clay, quick: true, ...light },
          new AbortController().signal,
        );
        busy.current = quick;
        const begun = performance.now();
        try {
          show(await quick);
          seen.current = view;
          requestAnimationFrame(() => (step.current = nextStep(step.current, performance.now() - begun)));
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
        if (picture.samples >= (brief ? Math.min(BRIEF, picture.enough) : picture.enough)) break;
      }
    };
    run().catch((problem: unknown) => {
      if (!stop.signal.aborted) setLive((before) => ({ ...before, problem }));
    });
    return () => stop.abort();
    // The key stands for everything by value.
    // oxlint-disable-next-line react-hooks/exhaustive-deps
  }, [key]);
  return { ...live, turned: turned ?? 0 };
}
