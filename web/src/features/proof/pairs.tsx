import { useVirtualizer } from "@tanstack/react-virtual";
import { useEffect, useRef, useState } from "react";
import type { Schemas } from "@/shared/api/client";
import { thumbnailAddress } from "@/shared/api/queries";
import { bytes, fileName, less } from "@/shared/format/figures";
import { useSite } from "@/shared/ui/site-context";
import { renditionAddress, SAID_WORDS } from "./proof-view";

const CELL = 330;
const LINE = 176;
const HIGH = 112;

type Props = {
  rows: Schemas["ProofRow"][];
  total: number;
  more: () => void;
  open: (image: number) => void;
};

/** Everything as pairs, before and after, for a skim; only the lines in view exist. */
export function Pairs({ rows, total, more, open }: Props) {
  const site = useSite();
  const frame = useRef<HTMLDivElement>(null);
  const [across, setAcross] = useState(3);
  useEffect(() => {
    const node = frame.current;
    if (!node) return;
    const watch = new ResizeObserver(([seen]) =>
      setAcross(Math.max(1, Math.floor((seen?.contentRect.width ?? 900) / CELL))),
    );
    watch.observe(node);
    return () => watch.disconnect();
  }, []);
  const lines = Math.ceil(rows.length / across);
  const virtual = useVirtualizer({
    count: lines,
    getScrollElement: () => frame.current,
    estimateSize: () => LINE,
    overscan: 3,
  });
  const last = virtual.getVirtualItems().at(-1)?.index ?? 0;
  // biome-ignore lint/correctness/useExhaustiveDependencies: asks for more only as the end comes near
  useEffect(() => {
    if (last > lines - 6 && rows.length < total) more();
  }, [last, lines, rows.length, total]);
  return (
    <section
      ref={frame}
      aria-label="Pairs"
      tabIndex={0}
      className="min-h-[420px] flex-1 overflow-y-auto border border-rule"
    >
      <div className="relative" style={{ height: virtual.getTotalSize() }}>
        {virtual.getVirtualItems().map((line) => (
          <ul
            key={line.key}
            className="absolute inset-x-0 grid gap-3 p-1.5"
            style={{
              transform: `translateY(${line.start}px)`,
              height: LINE,
              gridTemplateColumns: `repeat(${across}, minmax(0, 1fr))`,
            }}
          >
            {rows.slice(line.index * across, (line.index + 1) * across).map((row) => (
              <li key={row.image_id} className="min-w-0">
                <button type="button" onClick={() => open(row.image_id)} className="block w-full text-left">
                  <span className="flex gap-px overflow-hidden bg-proof">
                    {[
                      thumbnailAddress(site.capture.id, row.image_id),
                      renditionAddress(site.capture.id, row.image_id, row.narrow_id),
                    ].map((address) => (
                      <img
                        key={address}
                        src={address}
                        alt=""
                        loading="lazy"
                        decoding="async"
                        className="w-1/2 object-contain"
                        style={{ height: HIGH }}
                      />
                    ))}
                  </span>
                  <span className="block truncate text-[12.5px]" title={row.path}>
                    {fileName(row.path)}
                  </span>
                  <span className="block truncate text-[12px] text-ink-soft">
                    <span className="figure">{bytes(row.chosen.bytes)}</span>,{" "}
                    {less(row.bytes_before, row.chosen.bytes)}
                    {row.score !== null && `, score ${row.score.toFixed(0)}`}
                    {row.said && (
                      <strong className="text-thistle"> · {SAID_WORDS[row.said].split(":")[0]}</strong>
                    )}
                  </span>
                </button>
              </li>
            ))}
          </ul>
        ))}
      </div>
    </section>
  );
}
