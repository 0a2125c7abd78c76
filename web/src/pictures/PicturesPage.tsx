import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useRef, useState } from "react";
import { Link, useLocation } from "wouter";
import { api, uploadPicture } from "../api/client";
import { keys } from "../api/changes";
import { Problem } from "../parts/Problem";
import { Header } from "../shell/Header";
import { useTitle } from "../shell/useTitle";
import { AssemblyTable } from "./AssemblyTable";
import { PictureBench } from "./PictureBench";
import { PictureList } from "./PictureList";

/** Pictures made elsewhere: brought in, looked at, converted, put together. */
export function PicturesPage({ chosen }: { chosen: number | null }) {
  const { data, error } = useQuery({ queryKey: keys.pictures, queryFn: api.pictures });
  const { data: jobs = [] } = useQuery({ queryKey: keys.jobs, queryFn: api.jobs });
  const queries = useQueryClient();
  const [, go] = useLocation();
  const chooser = useRef<HTMLInputElement>(null);
  const [sending, setSending] = useState<{ name: string; share: number } | null>(null);
  const [problem, setProblem] = useState<unknown>(null);
  const [picked, setPicked] = useState<number[]>([]);
  const [assembling, setAssembling] = useState<number[] | null>(null);
  const pictures = data?.pictures ?? [];
  const picture = pictures.find((p) => p.id === chosen) ?? pictures[0];
  useTitle(picture?.file, "Pictures");

  const bring = async (files: File[]) => {
    if (files.length === 0 || sending) return;
    setProblem(null);
    const brought = [];
    try {
      for (const file of files) {
        setSending({ name: file.name, share: 0 });
        brought.push(await uploadPicture(file, (share) => setSending({ name: file.name, share })));
      }
    } catch (e) {
      setProblem(e);
    } finally {
      setSending(null);
      if (chooser.current) chooser.current.value = "";
    }
    await queries.invalidateQueries({ queryKey: keys.pictures });
    const squares = brought.filter((p) => p.width === p.height);
    const first = brought[0];
    if (squares.length >= 5 && squares.length === brought.length) {
      setAssembling(squares.map((p) => p.id));
    } else if (first) {
      setAssembling(null);
      go(`/pictures/${first.id}`);
    }
  };

  return (
    <div className="flex h-full flex-col">
      <Header title="Pictures">
        <Link href="/" className="btn btn-ghost btn-sm font-normal">
          Projects
        </Link>
        <span className="btn btn-ghost btn-sm pointer-events-none bg-base-200" aria-current="page">
          Pictures
        </span>
      </Header>
      <main tabIndex={-1} className="min-h-0 flex-1">
        <div
          className="grid h-full min-h-0 grid-cols-[14rem_minmax(0,1fr)] min-[1200px]:grid-cols-[17rem_minmax(0,1fr)]"
          onDragOver={(e) => e.preventDefault()}
          onDrop={(e) => {
            e.preventDefault();
            void bring([...e.dataTransfer.files]);
          }}
        >
          <aside className="flex min-h-0 flex-col gap-3 border-r border-base-300 p-4">
            <h1 className="sr-only">Pictures</h1>
            <button
              type="button"
              className="btn btn-primary btn-sm"
              disabled={sending !== null}
              onClick={() => chooser.current?.click()}
            >
              Add pictures
            </button>
            <p className="text-xs text-base-content/75">
              Panoramas, environment maps or the six faces of a cube: .exr, .hdr, .png, .jpg. They may also be
              dropped here.
            </p>
            <input
              ref={chooser}
              type="file"
              multiple
              accept=".exr,.hdr,.png,.jpg,.jpeg"
              className="sr-only"
              tabIndex={-1}
              aria-label="Picture files"
              data-testid="picture-files"
              onChange={(e) => void bring([...(e.target.files ?? [])])}
            />
            {sending && (
              <p className="text-xs" role="status">
                {sending.share < 1 ? "Sending" : "Reading"} {sending.name}
                <progress
                  className="progress progress-primary"
                  value={sending.share}
                  max={1}
                  aria-label="Upload"
                />
              </p>
            )}
            <Problem error={problem ?? error} />
            <PictureList
              pictures={pictures}
              jobs={jobs.filter((j) => j.kind !== "order" && j.kind !== "package")}
              unreadable={data?.unreadable ?? []}
              chosen={assembling ? null : (picture?.id ?? null)}
              picked={picked}
              onPick={setPicked}
              onChoose={(id) => {
                setAssembling(null);
                go(`/pictures/${id}`);
              }}
            />
            {picked.length > 1 && (
              <button
                type="button"
                className="btn btn-secondary btn-sm"
                disabled={picked.length < 5 || picked.length > 6}
                onClick={() => {
                  setAssembling(picked);
                  setPicked([]);
                }}
              >
                {picked.length < 5 || picked.length > 6
                  ? `${picked.length} chosen; a cube takes 5 or 6`
                  : `Assemble ${picked.length} faces`}
              </button>
            )}
          </aside>
          <section className="min-h-0 overflow-auto p-4">
            {assembling ? (
              <AssemblyTable
                key={assembling.join()}
                ids={assembling}
                pictures={pictures}
                onDone={(id) => {
                  setAssembling(null);
                  go(`/pictures/${id}`);
                }}
                onLeave={() => setAssembling(null)}
              />
            ) : picture ? (
              <PictureBench key={picture.id} picture={picture} others={pictures} />
            ) : (
              <div className="mx-auto mt-24 max-w-md text-center">
                <h2 className="mb-2 text-2xl">No pictures yet</h2>
                <p className="text-base-content/80">
                  Add a panorama that was made elsewhere: look round in it, convert it, find its seams and see
                  how it lights.
                </p>
              </div>
            )}
          </section>
        </div>
      </main>
    </div>
  );
}
