import { type KeyboardEvent, type MouseEvent, useState } from "react";
import type { Schemas } from "@/shared/api/client";
import { behindDoor } from "@/shared/api/door";
import { fileName } from "@/shared/format/figures";
import { Button } from "@/shared/ui/basics";
import { useSite } from "@/shared/ui/site-context";
import { useOverrule } from "./use-overrule";

const STEP = 0.01;
const LONG_STEP = 0.1;
type Point = [number, number];

/** What a cut keeps in its middle, chosen on the picture: by pointer, or by arrow keys (with Shift in long steps). */
export function FocalPoint({ image: i }: { image: Schemas["ImageDetail"] }) {
  const site = useSite();
  const decide = useOverrule({ ids: [i.id], without: [] });
  const [point, setPoint] = useState<Point | null>(i.focus as Point | null);
  const [x, y] = point ?? [0.5, 0.5];
  const put = (to: Point) =>
    setPoint(to.map((v) => Math.min(1, Math.max(0, Math.round(v * 100) / 100))) as Point);
  function onPointer(event: MouseEvent<HTMLButtonElement>) {
    // A press by keyboard comes without a place.
    if (event.detail === 0) return;
    const box = event.currentTarget.getBoundingClientRect();
    put([(event.clientX - box.left) / box.width, (event.clientY - box.top) / box.height]);
  }
  function onKey(event: KeyboardEvent) {
    const step = event.shiftKey ? LONG_STEP : STEP;
    const way = { ArrowLeft: [-step, 0], ArrowRight: [step, 0], ArrowUp: [0, -step], ArrowDown: [0, step] }[
      event.key
    ];
    if (!way) return;
    event.preventDefault();
    put([x + (way[0] ?? 0), y + (way[1] ?? 0)]);
  }
  return (
    <section className="mt-6">
      <h3 className="mb-1 font-semibold">Focal point</h3>
      <p className="mb-2 max-w-[80ch] text-ink-soft">
        Where a size cuts pictures to fill a box, this stays in the middle as far as it can; without one,
        where the detail is.
      </p>
      <button
        type="button"
        onClick={onPointer}
        onKeyDown={onKey}
        aria-label={`Focal point of ${fileName(i.path)}: ${words([x, y])}. Arrow keys move it.`}
        className="relative inline-block cursor-crosshair bg-proof"
      >
        <img
          src={behindDoor(`/api/v1/captures/${site.capture.id}/images/${i.id}/file`)}
          alt=""
          className="max-h-[260px] max-w-full"
        />
        <svg className="absolute inset-0 h-full w-full" aria-hidden="true">
          <line x1={percent(x)} x2={percent(x)} y1="0" y2="100%" stroke="white" strokeWidth="1" />
          <line x1="0" x2="100%" y1={percent(y)} y2={percent(y)} stroke="white" strokeWidth="1" />
          <circle cx={percent(x)} cy={percent(y)} r="7" fill="none" stroke="black" strokeWidth="3" />
          <circle cx={percent(x)} cy={percent(y)} r="7" fill="none" stroke="white" strokeWidth="1.5" />
        </svg>
      </button>
      <div className="mt-2 flex flex-wrap items-center gap-3">
        <Button disabled={point === null} onClick={() => point && decide({ settings: { focus: point } })}>
          Cut around this point
        </Button>
        <span className="text-ink-soft">{point ? words(point) : "none chosen"}</span>
      </div>
    </section>
  );
}

const percent = (share: number) => `${share * 100}%`;
const words = ([x, y]: Point) =>
  `${Math.round(x * 100)} % from the left, ${Math.round(y * 100)} % from the top`;
