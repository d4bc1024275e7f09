import { useVirtualizer } from "@tanstack/react-virtual";
import { type ReactNode, useEffect, useRef, useState } from "react";

type Props<Row> = {
  label: string;
  rows: Row[];
  total: number;
  more: () => void;
  /** CSS px of a cell's least width and of a line. */
  cell: number;
  line: number;
  keyOf: (row: Row) => number;
  children: (row: Row) => ReactNode;
};

/** Many pictures side by side; only the lines in view exist, and more are asked for as the end comes near. */
export function PictureGrid<Row>({ label, rows, total, more, cell, line, keyOf, children }: Props<Row>) {
  const frame = useRef<HTMLDivElement>(null);
  const [across, setAcross] = useState(3);
  useEffect(() => {
    const node = frame.current;
    if (!node) return;
    const watch = new ResizeObserver(([seen]) =>
      setAcross(Math.max(1, Math.floor((seen?.contentRect.width ?? 800) / cell))),
    );
    watch.observe(node);
    return () => watch.disconnect();
  }, [cell]);
  const lines = Math.ceil(rows.length / across);
  const virtual = useVirtualizer({
    count: lines,
    getScrollElement: () => frame.current,
    estimateSize: () => line,
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
      aria-label={label}
      tabIndex={0}
    >
      <div style={{ height: virtual.getTotalSize() }} className="relative">
        {virtual.getVirtualItems().map((seen) => (
          <ul
            key={seen.key}
            className="absolute inset-x-0 grid gap-2 p-1"
            style={{
              transform: `translateY(${seen.start}px)`,
              height: line,
              gridTemplateColumns: `repeat(${across}, minmax(0, 1fr))`,
            }}
          >
            {rows.slice(seen.index * across, (seen.index + 1) * across).map((row) => (
              <li key={keyOf(row)} className="min-w-0">
                {children(row)}
              </li>
            ))}
          </ul>
        ))}
      </div>
    </section>
  );
}
