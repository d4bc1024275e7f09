import { type PointerEvent, type ReactNode, useEffect, useRef, useState } from "react";
import type { Schemas } from "@/shared/api/client";
import type { Zoom } from "./proof-view";

export const GROUNDS = [
  ["light", "light"],
  ["dark", "dark"],
  ["checked", "checked"],
] as const;
export type Ground = (typeof GROUNDS)[number][0];
const GROUND_LOOKS: Record<Ground, string> = {
  light: "bg-white",
  dark: "bg-[#1c1a20]",
  checked: "bg-[repeating-conic-gradient(#ffffff_0_25%,#d0d0d0_0_50%)] bg-[length:16px_16px]",
};

/** The part of a picture that is seen, in its own pixels. */
export type Part = { x: number; y: number; width: number; height: number };
/** What is laid over the rendition: a setting that is tried, of a part or of the whole. */
export type Overlay = { picture: string; part: Part | null };
/** How large the picture is shown, and which point of it (shares of its sides) is in the middle. */
export type Look = { zoom: Zoom; x: number; y: number };

type Props = {
  original: string;
  rendition: string;
  width: number;
  height: number;
  name: string;
  spots: Schemas["ProofSpot"][];
  outlined: boolean;
  scale: number | null;
  look: Look;
  setLook: (look: Look) => void;
  showsOriginal: boolean;
  ground: Ground;
  overlay: Overlay | null;
  onPart: (part: Part) => void;
  children?: ReactNode;
};

/** Original and rendition in the same place on proof grey; `scale` is CSS px for each pixel (null: as large as fits). */
export function Stage(p: Props) {
  const frame = useRef<HTMLDivElement>(null);
  const [size, setSize] = useState({ width: 0, height: 0 });
  const drag = useRef<{ x: number; y: number; look: Look } | null>(null);
  useEffect(() => {
    const node = frame.current;
    if (!node) return;
    const watch = new ResizeObserver(([seen]) => {
      if (seen) setSize({ width: seen.contentRect.width, height: seen.contentRect.height });
    });
    watch.observe(node);
    return () => watch.disconnect();
  }, []);
  const fits = Math.min(size.width / p.width, size.height / p.height, 1);
  const scale = p.scale ?? fits;
  const shown = { width: p.width * scale, height: p.height * scale };
  const left = place(size.width, shown.width, p.look.x);
  const top = place(size.height, shown.height, p.look.y);
  const { onPart } = p;
  useEffect(() => {
    if (!size.width || !scale) return;
    const x = Math.max(0, Math.floor(-left / scale));
    const y = Math.max(0, Math.floor(-top / scale));
    onPart({
      x,
      y,
      width: Math.min(p.width - x, Math.ceil(size.width / scale)),
      height: Math.min(p.height - y, Math.ceil(size.height / scale)),
    });
  }, [left, top, scale, size, p.width, p.height, onPart]);

  const move = (event: PointerEvent) => {
    const from = drag.current;
    if (!from) return;
    p.setLook({
      ...from.look,
      x: share(from.look.x - (event.clientX - from.x) / shown.width),
      y: share(from.look.y - (event.clientY - from.y) / shown.height),
    });
  };
  const pixelated = scale * devicePixelRatio >= 2 ? "[image-rendering:pixelated]" : "";
  const layer = `absolute inset-0 h-full w-full max-w-none ${pixelated}`;
  return (
    <div
      ref={frame}
      data-stage
      className="relative min-h-0 flex-1 cursor-grab touch-none overflow-hidden bg-proof select-none active:cursor-grabbing"
      onPointerDown={(event) => {
        event.currentTarget.setPointerCapture(event.pointerId);
        drag.current = { x: event.clientX, y: event.clientY, look: p.look };
      }}
      onPointerMove={move}
      onPointerUp={() => {
        drag.current = null;
      }}
      onWheel={(event) => {
        const from = typeof p.look.zoom === "number" ? p.look.zoom : scale * devicePixelRatio;
        const zoom = Math.min(8, Math.max(0.1, from * (event.deltaY < 0 ? 1.25 : 0.8)));
        p.setLook({ ...p.look, zoom });
      }}
    >
      <div
        className={`absolute ${GROUND_LOOKS[p.ground]}`}
        style={{ left, top, width: shown.width, height: shown.height }}
      >
        <img src={p.rendition} alt={`Rendition of ${p.name}`} draggable={false} className={layer} />
        {p.overlay && (
          <img
            src={p.overlay.picture}
            alt=""
            draggable={false}
            className={`absolute max-w-none ${pixelated}`}
            style={percent(p.overlay.part ?? { x: 0, y: 0, width: p.width, height: p.height }, p)}
          />
        )}
        <img
          src={p.original}
          alt={`Original of ${p.name}`}
          draggable={false}
          className={`${layer} ${GROUND_LOOKS[p.ground]} ${p.showsOriginal ? "" : "invisible"}`}
        />
        {p.outlined &&
          !p.showsOriginal &&
          p.spots.map((spot, n) => (
            <span
              key={`${spot.x} ${spot.y}`}
              className="pointer-events-none absolute border border-white outline outline-black/60"
              style={percent(spot, p)}
            >
              <span className="absolute -top-px -left-px bg-black/70 px-1 text-[11px] text-white">
                {n + 1}
              </span>
            </span>
          ))}
      </div>
      <span className="absolute top-2 left-2 bg-black/70 px-2 py-0.5 text-white" aria-live="polite">
        {p.showsOriginal ? "original" : p.overlay ? "tried" : "rendition"}
      </span>
      {p.children}
    </div>
  );
}

/** Where a picture's side begins in a frame, with a point of it in the middle but no needless margin. */
function place(frame: number, side: number, point: number): number {
  if (side <= frame) return (frame - side) / 2;
  return Math.min(0, Math.max(frame - side, frame / 2 - point * side));
}

export const share = (n: number) => Math.min(1, Math.max(0, n));

const percent = (part: Part, of: { width: number; height: number }) => ({
  left: `${(100 * part.x) / of.width}%`,
  top: `${(100 * part.y) / of.height}%`,
  width: `${(100 * part.width) / of.width}%`,
  height: `${(100 * part.height) / of.height}%`,
});
