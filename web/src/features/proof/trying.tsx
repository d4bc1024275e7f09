import { useEffect, useRef, useState } from "react";
import { api, type Schemas, told } from "@/shared/api/client";
import { bytes, parseBytes } from "@/shared/format/figures";
import { Button } from "@/shared/ui/basics";
import { useNotice } from "@/shared/ui/notices";
import { FidelityCurve, qualityFor, useCurves } from "./fidelity-curve";
import type { Overlay, Part } from "./stage";

const WHOLE_AFTER_MS = 250;

type Detail = Schemas["ProofDetail"];
type File = Schemas["ProofFile"];
type Props = {
  run: number;
  detail: Detail;
  file: File;
  part: Part | null;
  setOverlay: (overlay: Overlay | null) => void;
  keep: (settings: Schemas["OverrideSettings"], score: number) => void;
};

/** Other settings of the file in hand: the part that is seen at once, the whole soon after; kept only when taken. */
export function Trying({ run, detail, file, part, setOverlay, keep }: Props) {
  const image = detail.row.image_id;
  const same = detail.files.filter((f) => f.width === file.width && f.quality !== null);
  const curves = useCurves(run, image, same);
  const points = curves.find((c) => c.file.id === file.id)?.points ?? [];
  const [quality, setQuality] = useState(file.quality ?? 0);
  const [typed, setTyped] = useState("");
  const [cap, setCap] = useState<number | null>(null);
  const [seen, setSeen] = useState<{ bytes: number; score: number } | null>(null);
  const [whole, setWhole] = useState<{ bytes: number; score: number } | null>(null);
  const say = useNotice();
  const newest = useRef(0);
  const where = useRef(part);
  where.current = part;

  // What still comes after another file was taken up lies over none.
  useEffect(
    () => () => {
      newest.current += 1;
      setOverlay(null);
    },
    [setOverlay],
  );

  const ask = (wanted: number, of: Part | null) =>
    told(
      api.POST("/api/v1/runs/{run_id}/proof/{image_id}/trial", {
        params: { path: { run_id: run, image_id: image } },
        body: { rendition: file.id, quality: wanted, part: of },
      }),
    );
  const tryOut = async (wanted: number) => {
    setQuality(wanted);
    setWhole(null);
    newest.current += 1;
    const mine = newest.current;
    try {
      if (where.current) {
        const tried = await ask(wanted, where.current);
        if (mine !== newest.current) return;
        setSeen(tried);
        setOverlay({ picture: tried.picture, part: tried.part ?? null });
      }
      await new Promise((done) => setTimeout(done, WHOLE_AFTER_MS));
      if (mine !== newest.current) return;
      const tried = await ask(wanted, null);
      if (mine !== newest.current) return;
      setWhole(tried);
      setOverlay({ picture: tried.picture, part: null });
    } catch (error) {
      if (mine === newest.current) say(error instanceof Error ? error.message : String(error));
    }
  };
  const take = () => {
    const wanted = understood(typed);
    const found = wanted && ("quality" in wanted ? wanted.quality : qualityFor(points, wanted));
    if (found === null || found === undefined) {
      say(points.length ? 'Write a fidelity like 70, "q 55", or "60 kB".' : "The curve is still being made.");
      return;
    }
    setCap(wanted && "bytes" in wanted ? (wanted.bytes ?? null) : null);
    void tryOut(found);
  };
  if (file.quality === null)
    return (
      <p className="text-ink-soft">
        This file has no quality that could be another: there is no curve to move on.
      </p>
    );
  return (
    <div>
      <FidelityCurve curves={curves} goal={detail.row.goal} chosen={file} tried={whole} />
      {curves.some((c) => c.isGrowing) && <p className="text-ink-soft">Filling in the curve …</p>}
      <label className="mt-1 flex items-center gap-2">
        <span className="text-ink-soft">quality</span>
        <input
          type="range"
          min={1}
          max={100}
          value={quality}
          onChange={(e) => {
            setCap(null);
            void tryOut(Number(e.target.value));
          }}
          className="min-w-0 flex-1 accent-thistle"
        />
        <span className="figure w-7 text-right">{quality}</span>
      </label>
      <form
        className="mt-1 flex gap-2"
        onSubmit={(e) => {
          e.preventDefault();
          take();
        }}
      >
        <input
          aria-label="Fidelity, quality or size to try"
          placeholder="70, q 55 or 60 kB"
          value={typed}
          onChange={(e) => setTyped(e.target.value)}
          className="field min-w-0 flex-1"
        />
        <Button type="submit">Try it</Button>
      </form>
      {seen && (
        <p className="mt-1 text-[12.5px]" aria-live="polite">
          {whole ? (
            <>
              The whole: <span className="figure">{bytes(whole.bytes)}</span>, score{" "}
              <span className="figure">{whole.score.toFixed(1)}</span>.{" "}
              <button
                type="button"
                className="font-semibold text-thistle underline"
                onClick={() => keep(cap ? { cap } : { fidelity: kept(whole.score) }, whole.score)}
              >
                {cap ? `Keep it within ${bytes(cap)}` : `Ask for ${kept(whole.score)}`}
              </button>
            </>
          ) : (
            <>
              What is seen, quickly: score <span className="figure">{seen.score.toFixed(1)}</span>; the whole
              …
            </>
          )}
        </p>
      )}
    </div>
  );
}

const kept = (score: number) => Math.min(100, Math.max(1, Math.floor(score)));

/** "70" is a fidelity, "q 55" a quality, "60 kB" a size. */
export function understood(text: string): { score: number } | { quality: number } | { bytes: number } | null {
  const quality = /^\s*q\s*(\d{1,3})\s*$/i.exec(text);
  if (quality) return { quality: Math.min(100, Number(quality[1])) };
  if (/^\s*\d{1,3}([.]\d+)?\s*$/.test(text)) return Number(text) <= 100 ? { score: Number(text) } : null;
  const size = parseBytes(text);
  return size === null ? null : { bytes: size };
}
