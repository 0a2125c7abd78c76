import { useEffect, useRef } from "react";

/** What four channels of first-order ambisonics are mixed by for one ear: W, Y, Z, X. */
type Mix = [number, number, number, number];

/**
 * Two ears that turn with the view, as two heart-shaped microphones to the left and the right of it: half of what comes from everywhere,
 * and half of what comes from that side. The heading counts from the film's middle, clockwise, in degrees; Y is to the left, X ahead.
 */
export function mixes(heading: number): [Mix, Mix] {
  const turn = (heading * Math.PI) / 180;
  const side = (sign: number): Mix => [0.5, sign * 0.5 * Math.cos(turn), 0, sign * 0.5 * Math.sin(turn)];
  return [side(1), side(-1)];
}

/** Lets the four channels of a film's sound be heard as they come from round about the view. */
export function useEars(video: HTMLVideoElement | null, ambisonic: boolean, heading: number) {
  const ears = useRef<((heading: number) => void) | null>(null);
  useEffect(() => {
    if (!video || !ambisonic) return;
    let context: AudioContext | null = null;
    // Browsers let sound begin once somebody has asked for it.
    const begin = () => {
      if (context) return void context.resume();
      context = new AudioContext();
      const split = context.createChannelSplitter(4);
      const both = context.createChannelMerger(2);
      const gains = [0, 1].map((ear) =>
        [0, 1, 2, 3].map((channel) => {
          const gain = (context as AudioContext).createGain();
          split.connect(gain, channel).connect(both, 0, ear);
          return gain;
        }),
      );
      const source = context.createMediaElementSource(video);
      source.channelCountMode = "max";
      source.connect(split);
      both.connect(context.destination);
      ears.current = (to) =>
        mixes(to).forEach((mix, ear) =>
          mix.forEach((amount, channel) => {
            const gain = gains[ear]?.[channel];
            if (gain && context) gain.gain.setTargetAtTime(amount, context.currentTime, 0.02);
          }),
        );
      ears.current(Number(video.dataset["heading"] ?? 0));
    };
    video.addEventListener("play", begin);
    return () => {
      video.removeEventListener("play", begin);
      ears.current = null;
      void context?.close();
    };
  }, [video, ambisonic]);
  useEffect(() => {
    ears.current?.(heading);
  }, [heading]);
}
