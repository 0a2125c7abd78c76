import { useCallback, useEffect, useMemo, useRef, useState } from "react";
import type { FilmFacts } from "../generated/FilmFacts";
import type { Package } from "../generated/Package";
import { Problem } from "../parts/Problem";
import { degrees, perSecond, wrapHeading } from "../parts/units";
import { Lookout } from "../sphere/Lookout";
import type { View } from "../sphere/geometry";
import { useEars } from "./useEars";

type Eye = "left" | "right";

/** Where an eye's part of the picture begins, from the left and from below, and how large it is. */
function partOf(stereo: string, eye: Eye): readonly number[] {
  if (stereo === "top-bottom") return eye === "left" ? [0, 0.5, 1, 0.5] : [0, 0, 1, 0.5];
  if (stereo === "side-by-side") return eye === "left" ? [0, 0, 0.5, 1] : [0.5, 0, 0.5, 1];
  return [0, 0, 1, 1];
}

const clock = (s: number): string => `${Math.floor(s / 60)}:${(s % 60).toFixed(1).padStart(4, "0")}`;

/** What is known of how it plays, and what it does. */
function useFilm(video: HTMLVideoElement | null) {
  const [state, setState] = useState({ time: 0, length: 0, playing: false, width: 0, dropped: 0, shown: 0 });
  const [problem, setProblem] = useState<string | null>(null);
  useEffect(() => {
    if (!video) return;
    const hear = () => {
      const quality = video.getVideoPlaybackQuality();
      setState({
        time: video.currentTime,
        length: Number.isFinite(video.duration) ? video.duration : 0,
        playing: !video.paused && !video.ended,
        width: video.videoWidth,
        dropped: quality.droppedVideoFrames,
        shown: quality.totalVideoFrames,
      });
    };
    const failed = () =>
      setProblem(
        "This browser cannot play this film; make it with H.264, or open the downloaded file elsewhere.",
      );
    const events = ["timeupdate", "play", "pause", "ended", "loadeddata", "seeked"];
    for (const name of events) video.addEventListener(name, hear);
    video.addEventListener("error", failed);
    return () => {
      for (const name of events) video.removeEventListener(name, hear);
      video.removeEventListener("error", failed);
    };
  }, [video]);
  return { ...state, problem };
}

/** A film as viewers will see it: played, looked round in, heard. */
export function FilmViewer({ made, film, opening }: { made: Package; film: FilmFacts; opening: View }) {
  const frame = useRef<HTMLDivElement>(null);
  const [video, setVideo] = useState<HTMLVideoElement | null>(null);
  const [view, setView] = useState(opening);
  const [eye, setEye] = useState<Eye>("left");
  const [loop, setLoop] = useState(true);
  const [loud, setLoud] = useState(true);
  const [said, setSaid] = useState<string | null>(null);
  const { time, length, playing, width, dropped, shown, problem } = useFilm(video);
  const { bounds, stereo } = film;
  const source = useMemo(
    () => (video && bounds ? { video, bounds, part: partOf(stereo, eye) } : null),
    [video, bounds, stereo, eye],
  );
  useEars(video, film.ambisonic, view.lon);
  const toggle = useCallback(() => {
    if (!video) return;
    if (video.paused)
      void video.play().catch(() => setSaid("The film could not be played; load the page again."));
    else video.pause();
  }, [video]);
  const full = () => {
    if (document.fullscreenElement) void document.exitFullscreen();
    else
      void frame.current
        ?.requestFullscreen()
        .catch(() => setSaid("This browser does not allow full screen here."));
  };
  const button = "btn btn-sm border-0 bg-[#262a33]/80 text-[#f5f0e6]";
  return (
    <div
      ref={frame}
      className="mid-grey relative min-h-0 flex-1 overflow-hidden rounded-box"
      data-testid="film-viewer"
      data-width={width}
      data-shown={shown}
      data-playing={playing}
    >
      {/* oxlint-disable-next-line jsx-a11y/media-has-caption -- films are made of pictures and sound; nobody speaks in them */}
      <video
        ref={setVideo}
        src={`/api/packages/${made.id}/film`}
        preload="auto"
        playsInline
        loop={loop}
        muted={!loud}
        className={
          bounds
            ? "pointer-events-none absolute size-px opacity-0"
            : "absolute inset-0 size-full object-contain"
        }
        aria-label={made.file}
        data-testid="film"
        data-heading={view.lon}
      />
      {bounds && (
        <Lookout
          picture={null}
          film={source}
          view={view}
          onView={setView}
          onProblem={setSaid}
          label={`Looking round in ${made.file}`}
          className="absolute inset-0 size-full"
        />
      )}
      <div className="absolute inset-x-4 bottom-4 flex flex-wrap items-center gap-3 text-sm">
        <button type="button" className={`${button} w-16`} onClick={toggle} data-testid="film-play">
          {playing ? "Pause" : "Play"}
        </button>
        <input
          type="range"
          className="range range-xs min-w-40 flex-1 basis-40 text-[#f5f0e6] [--range-bg:#262a33cc]"
          style={{ width: "auto" }}
          aria-label="Moment of the film"
          min={0}
          max={length}
          step={0.01}
          value={time}
          onChange={(e) => {
            const film = frame.current?.querySelector("video");
            if (film) film.currentTime = Number(e.target.value);
          }}
        />
        <span
          className="rounded-full bg-[#262a33]/80 px-3 py-1 text-[#f5f0e6] tabular-nums"
          data-testid="film-time"
        >
          {clock(time)} of {clock(length)}
        </span>
        <label className="flex cursor-pointer items-center gap-2 rounded-full bg-[#262a33]/80 px-3 py-1 text-[#f5f0e6]">
          <input
            type="checkbox"
            className="checkbox checkbox-xs border-[#f5f0e6] checked:bg-[#f5f0e6] checked:text-[#262a33]"
            checked={loop}
            onChange={(e) => setLoop(e.target.checked)}
          />
          Again and again
        </label>
        {film.sound && (
          <label className="flex cursor-pointer items-center gap-2 rounded-full bg-[#262a33]/80 px-3 py-1 text-[#f5f0e6]">
            <input
              type="checkbox"
              className="checkbox checkbox-xs border-[#f5f0e6] checked:bg-[#f5f0e6] checked:text-[#262a33]"
              checked={loud}
              onChange={(e) => setLoud(e.target.checked)}
            />
            {film.ambisonic ? "Sound all round" : "Sound"}
          </label>
        )}
        {stereo !== "mono" && (
          <button type="button" className={button} onClick={() => setEye(eye === "left" ? "right" : "left")}>
            {eye === "left" ? "Left eye" : "Right eye"}
          </button>
        )}
        <button type="button" className={button} onClick={() => setView(opening)}>
          Opening view
        </button>
        <button type="button" className={button} onClick={full}>
          Full screen
        </button>
      </div>
      <span className="absolute top-4 left-4 rounded-full bg-[#262a33]/80 px-3 py-1 text-sm text-[#f5f0e6]">
        {bounds &&
          `Heading ${degrees(wrapHeading(made.pose_heading_deg + view.lon))} · pitch ${degrees(view.lat)} · ${degrees(view.hfov, 0)} wide · `}
        {width} × {made.height} px, {perSecond(film.rate)}
        {dropped > 0 && ` · ${dropped} of ${shown} frames dropped`}
      </span>
      {(problem ?? said) && (
        <div className="absolute inset-x-4 top-14 rounded-lg bg-base-100">
          <Problem error={new Error(problem ?? said ?? "")} />
        </div>
      )}
    </div>
  );
}
