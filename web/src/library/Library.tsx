import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useRef, useState } from "react";
import { Link, useLocation } from "wouter";
import { Refusal, api, upload } from "../api/client";
import { keys } from "../api/changes";
import type { ProjectCard } from "../generated/ProjectCard";
import { Problem } from "../parts/Problem";
import { Header } from "../shell/Header";
import { useTitle } from "../shell/useTitle";

const plural = (n: number, one: string) => `${n} ${one}${n === 1 ? "" : "s"}`;

function Card({ card }: { card: ProjectCard }) {
  return (
    <li>
      <Link
        href={`/project/${card.id}/stand`}
        className="group block overflow-hidden rounded-box border border-base-300 bg-base-100 transition-shadow hover:shadow-lg"
      >
        <div className="mid-grey aspect-[2/1]">
          {card.has_picture && (
            <img
              src={`/api/projects/${card.id}/card.jpg?${card.masters}`}
              alt=""
              className="size-full object-cover"
            />
          )}
        </div>
        <div className="px-4 py-3">
          <h2 className="truncate text-lg group-hover:text-primary">{card.name}</h2>
          <p className="text-xs text-base-content/75">
            {plural(card.viewpoints, "viewpoint")} · {plural(card.masters, "finished picture")} ·{" "}
            {new Date(card.created * 1000).toLocaleDateString("en-GB", {
              day: "numeric",
              month: "long",
              year: "numeric",
            })}
          </p>
        </div>
      </Link>
    </li>
  );
}

/** All projects, and the way in for a new one. */
export function Library() {
  const { data: cards, error } = useQuery({ queryKey: keys.projects, queryFn: api.projects });
  const queries = useQueryClient();
  const [, go] = useLocation();
  const chooser = useRef<HTMLInputElement>(null);
  const [sending, setSending] = useState<{ name: string; share: number } | null>(null);
  const [problem, setProblem] = useState<unknown>(null);
  const [over, setOver] = useState(false);
  const [choices, setChoices] = useState<{ file: File; scenes: string[] } | null>(null);
  useTitle("Library");

  const bring = async (file: File | undefined, inside?: string) => {
    if (!file || sending) return;
    setProblem(null);
    setChoices(null);
    setSending({ name: file.name, share: 0 });
    try {
      const title = file.name.replace(/\.[^.]*$/, "") || file.name;
      const project = await upload(file, title, inside, (share) => setSending({ name: file.name, share }));
      queries.setQueryData(keys.project(project.id), project);
      void queries.invalidateQueries({ queryKey: keys.projects });
      go(`/project/${project.id}/scene`);
    } catch (e) {
      // An archive of several scenes: which one is asked here.
      if (e instanceof Refusal && e.choices.length > 0) setChoices({ file, scenes: e.choices });
      else setProblem(e);
    } finally {
      setSending(null);
      if (chooser.current) chooser.current.value = "";
    }
  };

  return (
    <div className="flex h-full flex-col">
      <Header>
        <span className="btn btn-ghost btn-sm pointer-events-none bg-base-200" aria-current="page">
          Projects
        </span>
        <Link href="/pictures" className="btn btn-ghost btn-sm font-normal">
          Pictures
        </Link>
      </Header>
      <main tabIndex={-1} className="min-h-0 flex-1 overflow-auto px-10 py-8">
        <h1 className="mb-5 text-3xl">Library</h1>
        <ul className="grid grid-cols-[repeat(auto-fill,minmax(20rem,1fr))] gap-6">
          {cards?.map((card) => (
            <Card key={card.id} card={card} />
          ))}
          <li>
            <div
              className={`flex h-full min-h-56 flex-col items-center justify-center gap-3 rounded-box border-2 border-dashed p-6 text-center ${over ? "border-secondary bg-secondary/10" : "border-base-300"}`}
              onDragOver={(e) => {
                e.preventDefault();
                setOver(true);
              }}
              onDragLeave={() => setOver(false)}
              onDrop={(e) => {
                e.preventDefault();
                setOver(false);
                void bring(e.dataTransfer.files[0]);
              }}
            >
              {sending ? (
                <>
                  <p>{sending.share < 1 ? `Sending ${sending.name}` : `Reading ${sending.name}`}</p>
                  <progress
                    className="progress progress-primary w-56"
                    value={sending.share}
                    max={1}
                    aria-label="Upload"
                  />
                  <p className="text-xs text-base-content/75">{Math.floor(sending.share * 100)} % sent</p>
                </>
              ) : choices ? (
                <>
                  <h2 className="text-lg">Which scene of {choices.file.name}?</h2>
                  <div className="flex max-h-40 flex-wrap justify-center gap-1.5 overflow-auto">
                    {choices.scenes.map((scene) => (
                      <button
                        key={scene}
                        type="button"
                        className="btn btn-sm"
                        data-testid="inside"
                        onClick={() => void bring(choices.file, scene)}
                      >
                        {scene}
                      </button>
                    ))}
                  </div>
                  <button
                    type="button"
                    className="btn btn-ghost btn-sm font-normal"
                    onClick={() => setChoices(null)}
                  >
                    Cancel
                  </button>
                </>
              ) : (
                <>
                  <h2 className="text-lg">New project</h2>
                  <p className="max-w-64 text-sm text-base-content/75">
                    Drop a scene here: a .glb, .obj or .ply, or a .zip with .gltf or .obj and its files.
                  </p>
                  <button
                    type="button"
                    className="btn btn-primary btn-sm"
                    onClick={() => chooser.current?.click()}
                  >
                    Choose a scene
                  </button>
                </>
              )}
              <input
                ref={chooser}
                type="file"
                className="sr-only"
                tabIndex={-1}
                aria-label="Scene file"
                data-testid="scene-file"
                onChange={(e) => void bring(e.target.files?.[0])}
              />
            </div>
          </li>
        </ul>
        <div className="mt-5 max-w-3xl">
          <Problem error={problem ?? error} />
        </div>
      </main>
    </div>
  );
}
