import { Link } from "@tanstack/react-router";
import { useVirtualizer } from "@tanstack/react-virtual";
import { useEffect, useRef, useState } from "react";
import type { Schemas } from "@/shared/api/client";
import { bytes, fileName } from "@/shared/format/figures";
import { useSite } from "@/shared/ui/site-context";
import { Thumbnail } from "@/shared/ui/thumbnail";
import type { Selection } from "./selection";

const CELL = 168;
const LINE = 176;

type Props = { rows: Schemas["ImageRow"][]; total: number; selection: Selection; more: () => void };

/** The pictures side by side on proof grey, to be judged by eye; only the lines in view exist. */
export function ContactSheet({ rows, total, selection, more }: Props) {
  const site = useSite();
  const frame = useRef<HTMLDivElement>(null);
  const [across, setAcross] = useState(5);
  useEffect(() => {
    const node = frame.current;
    if (!node) return;
    const watch = new ResizeObserver(([seen]) =>
      setAcross(Math.max(1, Math.floor((seen?.contentRect.width ?? 800) / CELL))),
    );
    watch.observe(node);
    return () => watch.disconnect();
  }, []);
  const lines = Math.ceil(rows.length / across);
  const virtual = useVirtualizer({
    count: lines,
    getScrollElement: () => frame.current,
    estimateSize: () => LINE,
    overscan: 4,
  });
  const last = virtual.getVirtualItems().at(-1)?.index ?? 0;
  // biome-ignore lint/correctness/useExhaustiveDependencies: asks for more only as the end comes near
  useEffect(() => {
    if (last > lines - 8 && rows.length < total) more();
  }, [last, lines, rows.length, total]);
  return (
    <section
      ref={frame}
      className="min-h-0 flex-1 overflow-y-auto border border-rule"
      aria-label="Contact sheet"
      tabIndex={0}
    >
      <div style={{ height: virtual.getTotalSize() }} className="relative">
        {virtual.getVirtualItems().map((line) => (
          <ul
            key={line.key}
            className="absolute inset-x-0 grid gap-2 p-1"
            style={{
              transform: `translateY(${line.start}px)`,
              height: LINE,
              gridTemplateColumns: `repeat(${across}, minmax(0, 1fr))`,
            }}
          >
            {rows.slice(line.index * across, (line.index + 1) * across).map((image) => (
              <li
                key={image.id}
                className={`flex min-w-0 flex-col border-2 ${selection.has(image.id) ? "border-thistle" : "border-transparent"}`}
              >
                <Link
                  to="/sites/$siteId/library/$imageId"
                  params={{ siteId: String(site.id), imageId: String(image.id) }}
                  className="flex justify-center bg-proof"
                  aria-label={image.path}
                >
                  <Thumbnail
                    captureId={site.capture.id}
                    imageId={image.id}
                    has={image.has_thumbnail}
                    size={112}
                  />
                </Link>
                <label className="mt-1 flex items-center gap-1.5 px-1">
                  <input
                    type="checkbox"
                    checked={selection.has(image.id)}
                    onChange={(e) => selection.toggle([image.id], e.target.checked)}
                  />
                  <span className="min-w-0 flex-1 truncate text-[12.5px]" title={image.path}>
                    {fileName(image.path)}
                  </span>
                </label>
                <span
                  className={`figure px-1 text-[12px] ${image.over_cap ? "text-madder" : "text-ink-soft"}`}
                >
                  {bytes(image.bytes)}
                  {image.over_cap && " over its cap"}
                </span>
              </li>
            ))}
          </ul>
        ))}
      </div>
    </section>
  );
}
