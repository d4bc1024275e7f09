import { useQueryClient } from "@tanstack/react-query";
import { Link, useNavigate } from "@tanstack/react-router";
import { type DragEvent, type FormEvent, useRef, useState } from "react";
import { api, Problem, type Schemas, told } from "@/shared/api/client";
import { sitesQuery } from "@/shared/api/queries";
import { bytes, duration } from "@/shared/format/figures";
import { Button, Failed, Progress, Title } from "@/shared/ui/basics";
import { type Upload, uploadArchive } from "./upload";

const FIELD = "w-full rounded border border-rule bg-card px-3 py-2";

/** Two ways in: a folder on this machine, or a ZIP sent from the browser. */
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
      </div>
    </main>
  );
}

type WayIn = { name: string; arrived: (site: Schemas["Site"]) => void };

function FromFolder({ name, arrived }: WayIn) {
  const [folder, setFolder] = useState("");
  const [busy, setBusy] = useState(false);
  const [error, setError] = useState<Error | null>(null);
  async function add(event: FormEvent) {
    event.preventDefault();
    setBusy(true);
    setError(null);
    try {
      arrived(await told(api.POST("/api/v1/sites/from-folder", { body: { name, folder } })));
    } catch (caught) {
      setError(caught as Error);
      setBusy(false);
    }
  }
  return (
    <form onSubmit={add}>
      <h2 className="mb-3">From a folder on this machine</h2>
      <label className="block">
        <span className="mb-1 block font-semibold">Whole path of the built site</span>
        <input
          value={folder}
          onChange={(e) => setFolder(e.target.value)}
          required
          className={`${FIELD} font-mono`}
          placeholder="/srv/site/dist"
          spellCheck={false}
        />
      </label>
      <Button type="submit" tone="main" className="mt-3" disabled={busy || !folder.trim()}>
        {busy ? "Looking …" : "Read this folder"}
      </Button>
      {error && (
        <div className="mt-4">
          <Failed error={error} />
        </div>
      )}
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
      <h2 className="mb-3">From a ZIP of the built site</h2>
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
            accept=".zip,application/zip"
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
