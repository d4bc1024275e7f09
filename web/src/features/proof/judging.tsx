import { useQuery } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";
import { type KeyboardEvent, useCallback, useEffect, useRef, useState } from "react";
import { api, type Schemas, told } from "@/shared/api/client";
import { fileName } from "@/shared/format/figures";
import { Failed, Loading, PathWords } from "@/shared/ui/basics";
import { useSite } from "@/shared/ui/site-context";
import { Pick } from "@/shared/ui/view";
import { Acts } from "./acts";
import { Files } from "./files";
import { Frames } from "./frames";
import {
  frameAddress,
  originalAddress,
  renditionAddress,
  SAID_WORDS,
  type Said,
  type Zoom,
} from "./proof-view";
import { Spots } from "./spots";
import { GROUNDS, type Ground, type Look, type Overlay, type Part, Stage, share } from "./stage";
import { Truth } from "./truth";
import { Trying } from "./trying";
import { useVerdict } from "./use-verdict";

const ZOOMS: readonly [string, string][] = [
  ["fit", "as large as fits"],
  ["1", "100 %"],
  ["2", "200 %"],
  ["4", "400 %"],
  ["8", "800 %"],
];
const STEP = 0.08;

type Props = {
  run: number;
  row: Schemas["ProofRow"];
  at: number;
  total: number;
  following: Schemas["ProofRow"] | undefined;
  go: (step: number) => void;
  goOpen: () => void;
  show: (imageId: number) => void;
};

/** One image to be judged by eye and keyboard. What is chosen to look at stays from image to image. */
export function Judging({ run, row, at, total, following, go, goOpen, show }: Props) {
  const site = useSite();
  const detail = useQuery({
    queryKey: ["run", run, "proof", row.image_id],
    queryFn: () =>
      told(
        api.GET("/api/v1/runs/{run_id}/proof/{image_id}", {
          params: { path: { run_id: run, image_id: row.image_id } },
        }),
      ),
    placeholderData: (old) => (old?.row.image_id === row.image_id ? old : undefined),
  });
  const [look, setLook] = useState<Look>({ zoom: "fit", x: 0.5, y: 0.5 });
  const [line, setLine] = useState("");
  const [ground, setGround] = useState<Ground>("light");
  const [outlined, setOutlined] = useState(true);
  const [holding, setHolding] = useState(false);
  const [chosen, setChosen] = useState<number | null>(null);
  const [chosenFrame, setFrame] = useState<number | null>(null);
  const [playing, setPlaying] = useState(false);
  const [overlay, setOverlay] = useState<Overlay | null>(null);
  const [part, setPart] = useState<Part | null>(null);
  const onPart = useCallback((next: Part) => setPart(next), []);
  const [note, setNote] = useState(row.note);
  const place = useRef<HTMLElement>(null);
  const noteField = useRef<HTMLInputElement>(null);
  const { judge, undo } = useVerdict(run, show);

  // biome-ignore lint/correctness/useExhaustiveDependencies: only with the next image
  useEffect(() => {
    setChosen(null);
    setFrame(null);
    setNote(row.note);
    setHolding(false);
    place.current?.focus({ preventScroll: true });
  }, [row.image_id]);
  useEffect(() => {
    if (!following) return;
    // So that the next one is there when it is asked for.
    new Image().src = originalAddress(site.capture.id, run, following, following.chosen.id);
    new Image().src = renditionAddress(site.capture.id, following.image_id, following.chosen.id);
  }, [following, run, site.capture.id]);

  const files = detail.data?.files ?? [row.chosen];
  const file = files.find((f) => f.id === chosen) ?? row.chosen;
  const boxes = detail.data?.boxes ?? [];
  const frames = detail.data?.frames ?? 1;
  const still = frames > 1 && !playing;
  const frame = chosenFrame ?? detail.data?.worst_frame ?? 0;
  const stepFrame = (step: number) => setFrame((frame + step + frames) % frames);
  const original = still
    ? frameAddress(run, row.image_id, file.id, "original", frame)
    : originalAddress(site.capture.id, run, row, file.id);
  const rendition = still
    ? frameAddress(run, row.image_id, file.id, "rendition", frame)
    : renditionAddress(site.capture.id, row.image_id, file.id);
  const isJudged =
    file.id === row.chosen.id && (frames === 1 || (still && frame === detail.data?.worst_frame));
  const spots = isJudged ? (detail.data?.spots ?? []) : [];
  const scale = scaleOf(look.zoom, boxes, file);
  const say = (said: Said | null) => {
    judge({ row, said, note });
    if (said) goOpen();
    place.current?.focus({ preventScroll: true });
  };
  const goToSpot = (n: number) => {
    const spot = spots[n];
    if (!spot) return;
    setLook({
      zoom: 4,
      x: (spot.x + spot.width / 2) / file.width,
      y: (spot.y + spot.height / 2) / file.height,
    });
  };
  const switchFile = () => {
    const next = files[(files.findIndex((f) => f.id === file.id) + 1) % files.length];
    if (next) setChosen(next.id);
  };
  const zoomBy = (factor: number) => {
    const now = typeof look.zoom === "number" ? look.zoom : 1;
    setLook({ ...look, zoom: Math.min(8, Math.max(0.25, now * factor)) });
  };
  const pan = (x: number, y: number) =>
    setLook({ ...look, x: share(look.x + x * STEP), y: share(look.y + y * STEP) });
  const keys = new Map<string, () => void>([
    ["a", () => say("accept")],
    ["h", () => say("hold")],
    ["t", () => say("tighter")],
    ["l", () => say("lighter")],
    ["u", undo],
    ["n", () => noteField.current?.focus()],
    [".", () => go(1)],
    [",", () => go(-1)],
    ["f", switchFile],
    ["]", () => stepFrame(1)],
    ["[", () => stepFrame(-1)],
    ["p", () => setPlaying(!playing)],
    ["o", () => setOutlined(!outlined)],
    [
      "g",
      () =>
        setGround(
          GROUNDS[(GROUNDS.findIndex(([key]) => key === ground) + 1) % GROUNDS.length]?.[0] ?? "light",
        ),
    ],
    ["+", () => zoomBy(2)],
    ["-", () => zoomBy(0.5)],
    ["0", () => setLook({ zoom: "fit", x: 0.5, y: 0.5 })],
    ["ArrowLeft", () => pan(-1, 0)],
    ["ArrowRight", () => pan(1, 0)],
    ["ArrowUp", () => pan(0, -1)],
    ["ArrowDown", () => pan(0, 1)],
    ["1", () => goToSpot(0)],
    ["2", () => goToSpot(1)],
    ["3", () => goToSpot(2)],
  ]);
  const onKeyDown = (event: KeyboardEvent) => {
    if (event.ctrlKey || event.metaKey || event.altKey || isTyping(event.target)) return;
    if (event.key === " " && !(event.target instanceof HTMLButtonElement)) {
      event.preventDefault();
      setHolding(true);
      return;
    }
    const act = keys.get(event.key);
    if (!act) return;
    event.preventDefault();
    act();
  };
  const zoomKey = typeof look.zoom === "number" ? String(look.zoom) : look.zoom;
  const zooms = [...ZOOMS, ...boxes.map((b) => [b.screen, `as on the ${b.screen}`] as [string, string])];
  if (!zooms.some(([key]) => key === zoomKey))
    zooms.push([zoomKey, `${Math.round(Number(zoomKey) * 100)} %`]);

  return (
    <section
      ref={place}
      tabIndex={0}
      aria-label={`Judge ${fileName(row.path)}; keys: a accept, h hold, t tighter, l lighter, space shows the original`}
      onKeyDown={onKeyDown}
      onKeyUp={(event) => event.key === " " && setHolding(false)}
      onBlur={() => setHolding(false)}
      className="grid min-h-0 flex-1 gap-4 lg:grid-cols-[minmax(0,1fr)_300px]"
    >
      <div className="flex min-h-[420px] min-w-0 flex-col">
        <p className="mb-1 flex flex-wrap items-baseline gap-x-4">
          <Link
            to="/sites/$siteId/library/$imageId"
            params={{ siteId: String(site.id), imageId: String(row.image_id) }}
            className="min-w-0 font-semibold"
          >
            <PathWords path={row.path} />
          </Link>
          <span className="text-ink-soft">
            {at + 1} of {total}, {row.kind} as {row.role}
            {row.said && <strong className="text-thistle"> · {SAID_WORDS[row.said]}</strong>}
          </span>
          <span className="ml-auto flex gap-x-3 text-ink-soft">
            <Pick
              label="How large"
              value={zoomKey}
              choices={zooms}
              onChange={(z) => setLook({ ...look, zoom: Number(z) || z })}
            />
            <Pick
              label="Ground"
              value={ground}
              choices={GROUNDS.map(([k, w]) => [k, `on ${w}`] as const)}
              onChange={(g) => setGround(g as Ground)}
            />
          </span>
        </p>
        <Stage
          original={original}
          rendition={rendition}
          width={file.width}
          height={file.height}
          name={fileName(row.path)}
          spots={spots}
          outlined={outlined}
          scale={scale}
          look={look}
          setLook={setLook}
          showsOriginal={holding}
          ground={ground}
          overlay={overlay}
          onPart={onPart}
        />
        {frames > 1 && (
          <Frames
            frame={frame}
            frames={frames}
            worst={detail.data?.spots.length ? detail.data.worst_frame : -1}
            playing={playing}
            step={stepFrame}
            play={setPlaying}
          />
        )}
        <Truth
          row={row}
          file={file}
          zoom={look.zoom}
          boxes={boxes}
          words={detail.data?.words ?? []}
          line={line}
          setLine={setLine}
        />
        <Acts
          say={say}
          go={go}
          undo={undo}
          row={row}
          note={note}
          setNote={setNote}
          field={noteField}
          hold={setHolding}
        />
      </div>
      <aside className="flex min-h-0 flex-col gap-3 overflow-y-auto pr-1 pb-1" aria-label="What to look for">
        <div>
          <h2 className="mb-0.5 text-[16px]">Why now</h2>
          {row.reasons.length === 0 && (
            <p className="text-ink-soft">{row.why_not || "Nothing about it asks for eyes."}</p>
          )}
          <ul>
            {row.reasons.map((reason) => (
              <li key={reason}>{sentence(reason)}</li>
            ))}
          </ul>
        </div>
        {spots.length > 0 && (
          <div>
            <h2 className="mb-0.5 text-[16px]">Where most differs</h2>
            <Spots spots={spots} original={original} rendition={rendition} file={file} onGo={goToSpot} />
          </div>
        )}
        {detail.isPending && <Loading what="its files" />}
        {detail.isError && <Failed error={detail.error} again={() => detail.refetch()} />}
        {detail.data && (
          <>
            <Files files={files} file={file} choose={setChosen} />
            <div>
              <h2 className="mb-0.5 text-[16px]">Bytes against looks</h2>
              <Trying
                key={file.id}
                run={run}
                detail={detail.data}
                file={file}
                part={part}
                setOverlay={setOverlay}
                keep={(settings, score) =>
                  judge({ row, said: score < (row.score ?? 0) ? "lighter" : "tighter", note, settings })
                }
              />
            </div>
          </>
        )}
      </aside>
    </section>
  );
}

function isTyping(target: EventTarget): boolean {
  return target instanceof HTMLInputElement || target instanceof HTMLSelectElement;
}

const sentence = (words: string) => `${words.slice(0, 1).toUpperCase()}${words.slice(1)}`;

/** CSS px of this monitor for each of the picture's pixels; null: as large as fits. */
function scaleOf(zoom: Zoom, boxes: Schemas["ProofBox"][], file: Schemas["ProofFile"]): number | null {
  if (typeof zoom === "number") return zoom / devicePixelRatio;
  const box = boxes.find((b) => b.screen === zoom);
  return box ? (box.width * box.density) / devicePixelRatio / file.width : null;
}
