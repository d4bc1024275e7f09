import { useQueryClient } from "@tanstack/react-query";
import { Link, useNavigate } from "@tanstack/react-router";
import { type DragEvent, type FormEvent, useRef, useState } from "react";
import { api, Problem, type Schemas, told } from "@/shared/api/client";
import { sitesQuery } from "@/shared/api/queries";
import { bytes, duration } from "@/shared/format/figures";
import { Button, Failed, Progress, Title } from "@/shared/ui/basics";
import { type Upload, uploadArchive } from "./upload";

const FIELD = "w-full rounded border border-rule bg-card px-3 py-2";

/** The ways in: a folder on this machine, a ZIP or HAR file sent from the browser, or an address. */
export function NewSiteScreen() {
  const queries = useQueryClient();
  const navigate = useNavigate();
  const [name, setName] = useState("");
  function arrived(site: Schemas["Site"]) {
    void queries.invalidateQueries({ queryKey: sitesQuery.queryKey });
    void navigate({ to: "/sites/$siteId/capture", params: { siteId: String(site.id) } });
  }
  return (
    <main className="mx-auto max-w-[1080px] px-8 py-10">
      <Link to="/" className="text-ink-soft no-underline hover:text-ink">
        ← Sites
      </Link>
      <div className="mt-3">
        <Title says="Files are read where they are and never changed. Nothing leaves this machine.">
          Add a site
        </Title>
      </div>
      <label className="mb-8 block max-w-[460px]">
        <span className="mb-1 block font-semibold">Name</span>
        <input
          value={name}
          maxLength={190}
          onChange={(e) => setName(e.target.value)}
          className={FIELD}
          placeholder="as the folder or the archive is called"
        />
      </label>
      <div className="grid gap-10 md:grid-cols-2">
        <FromFolder name={name} arrived={arrived} />
        <FromArchive name={name} arrived={arrived} />
        <FromAddress name={name} arrived={arrived} />
      </div>
    </main>
  );
}

type WayIn = { name: string; arrived: (site: Schemas["Site"]) => void };

/** Adds a site and goes there; what is wrong is told in place. */
function useAdding(arrived: WayIn["arrived"], ask: () => Promise<Schemas["Site"]>) {
  const [busy, setBusy] = useState(false);
  const [error, setError] = useState<Error | null>(null);
  async function add(event: FormEvent) {
    event.preventDefault();
    setBusy(true);
    setError(null);
    try {
      arrived(await ask());
    } catch (caught) {
      setError(caught as Error);
      setBusy(false);
    }
  }
  return { busy, error, add };
}

type AddButtonProps = { words: string; busy: boolean; ready: boolean; error: Error | null };

/** The end of a form that adds a site. */
function AddButton({ words, busy, ready, error }: AddButtonProps) {
  return (
    <>
      <Button type="submit" tone="main" className="mt-3" disabled={busy || !ready}>
        {busy ? "Looking …" : words}
      </Button>
      {error && (
        <div className="mt-4">
          <Failed error={error} />
        </div>
      )}
    </>
  );
}

function FromFolder({ name, arrived }: WayIn) {
  const [folder, setFolder] = useState("");
  const { busy, error, add } = useAdding(arrived, () =>
    told(api.POST("/api/v1/sites/from-folder", { body: { name, folder } })),
  );
  return (
    <form onSubmit={add}>
      <h2 className="mb-3">From a folder on this machine</h2>
      <label className="block">
        <span className="mb-1 block font-semibold">
          Whole path of the built site, or of a folder of pictures
        </span>
        <input
          value={folder}
          onChange={(e) => setFolder(e.target.value)}
          required
          className={`${FIELD} font-mono`}
          placeholder="/srv/site/dist"
          spellCheck={false}
        />
      </label>
      <AddButton words="Read this folder" busy={busy} ready={folder.trim() !== ""} error={error} />
    </form>
  );
}

function FromAddress({ name, arrived }: WayIn) {
  const [address, setAddress] = useState("");
  const [pages, setPages] = useState("500");
  const [exclude, setExclude] = useState("");
  const [hosts, setHosts] = useState("");
  const [robots, setRobots] = useState(true);
  const [own, setOwn] = useState(false);
  const words = (text: string) => text.split(/[\s,]+/).filter(Boolean);
  const { busy, error, add } = useAdding(arrived, () => {
    const body = {
      name,
      address,
      pages: Number(pages) || 500,
      depth: 8,
      bytes: 2_000_000_000,
      include: [],
      exclude: words(exclude),
      image_hosts: words(hosts),
      respect_robots: robots,
      allow_private: own,
      seconds_between: own ? 0.02 : 0.2,
    };
    return told(api.POST("/api/v1/sites/from-address", { body }));
  });
  return (
    <form onSubmit={add} className="md:col-span-2">
      <h2 className="mb-3">From its address</h2>
      <div className="grid gap-x-10 gap-y-3 md:grid-cols-2">
        <label className="block">
          <span className="mb-1 block font-semibold">Address to start from</span>
          <input
            value={address}
            onChange={(e) => setAddress(e.target.value)}
            required
            className={`${FIELD} font-mono`}
            placeholder="https://example.org/"
            spellCheck={false}
          />
        </label>
        <label className="block">
          <span className="mb-1 block font-semibold">Pages at most</span>
          <input
            value={pages}
            onChange={(e) => setPages(e.target.value)}
            inputMode="numeric"
            className={`${FIELD} font-mono`}
          />
        </label>
        <label className="block">
          <span className="mb-1 block font-semibold">Leave out addresses like</span>
          <input
            value={exclude}
            onChange={(e) => setExclude(e.target.value)}
            className={`${FIELD} font-mono`}
            placeholder="*/archive/* *?print=*"
            spellCheck={false}
          />
        </label>
        <label className="block">
          <span className="mb-1 block font-semibold">Hosts that hold its images</span>
          <input
            value={hosts}
            onChange={(e) => setHosts(e.target.value)}
            className={`${FIELD} font-mono`}
            placeholder="images.example.org"
            spellCheck={false}
          />
        </label>
      </div>
      <div className="mt-3 space-y-1">
        <label className="flex items-center gap-1">
          <input type="checkbox" checked={own} onChange={(e) => setOwn(e.target.checked)} />
          It is my own server: its address may be a private one, and it may be asked faster.
        </label>
        <label className="flex items-center gap-1">
          <input type="checkbox" checked={!robots} onChange={(e) => setRobots(!e.target.checked)} />
          It is my own site, and I want robots.txt set aside.
        </label>
      </div>
      <AddButton words="Read this site" busy={busy} ready={address.trim() !== ""} error={error} />
    </form>
  );
}

function FromArchive({ name, arrived }: WayIn) {
  const [upload, setUpload] = useState<Upload | null>(null);
  const [error, setError] = useState<Error | null>(null);
  const stop = useRef<() => void>(() => {});
  async function send(file: File | undefined) {
    if (!file) return;
    setError(null);
    const sending = uploadArchive(file, name, setUpload);
    stop.current = sending.stop;
    try {
      arrived(await sending.site);
    } catch (caught) {
      setUpload(null);
      if (!(caught instanceof Problem && caught.code === "stopped")) setError(caught as Error);
    }
  }
  function dropped(event: DragEvent) {
    event.preventDefault();
    void send(event.dataTransfer.files[0]);
  }
  return (
    <section>
      <h2 className="mb-3">From a ZIP or a HAR file</h2>
      {upload ? (
        <div>
          <Progress done={upload.sent} total={upload.total} label="Upload" />
          <p className="figure mt-2">
            {bytes(upload.sent)} of {bytes(upload.total)}
            {upload.secondsLeft !== null && `, about ${duration(upload.secondsLeft)} left`}
          </p>
          <Button className="mt-3" onClick={() => stop.current()}>
            Stop the upload
          </Button>
        </div>
      ) : (
        <label
          onDragOver={(e) => e.preventDefault()}
          onDrop={dropped}
          className="block cursor-pointer rounded border border-dashed border-ink-soft p-6 text-center focus-within:border-thistle hover:border-thistle"
        >
          Drop the archive here, or <span className="text-thistle underline">choose a file</span>
          <input
            type="file"
            accept=".zip,.har,application/zip"
            className="sr-only"
            onChange={(e) => send(e.target.files?.[0])}
          />
        </label>
      )}
      {error && (
        <div className="mt-4">
          <Failed error={error} />
        </div>
      )}
    </section>
  );
}
