import type { Schemas } from "@/shared/api/client";
import { bytes, duration, less } from "@/shared/format/figures";
import { useSite } from "@/shared/ui/site-context";
import { lineIndex, Pick } from "@/shared/ui/view";
import type { Zoom } from "./proof-view";

type TruthProps = {
  row: Schemas["ProofRow"];
  file: Schemas["ProofFile"];
  zoom: Zoom;
  boxes: Schemas["ProofBox"][];
  words: string[];
  /** The connection by its name; empty: the middle one of the site's. */
  line: string;
  setLine: (line: string) => void;
};

/** One line of what is true of the file that is looked at. */
export function Truth({ row, file, zoom, boxes, words, line: name, setLine }: TruthProps) {
  const site = useSite();
  const line = site.connections[lineIndex(site.connections, name)];
  const box = boxes.find((b) => b.screen === zoom) ?? boxes[0];
  const score = file.id === row.chosen.id ? row.score : file.score;
  const seconds = line ? line.wait_ms / 1000 + (file.bytes * 8) / line.bits : 0;
  return (
    <p className="mt-1.5 text-[13px]" title={words.join(" ")}>
      {score !== null && (
        <>
          score <span className="figure font-semibold">{score.toFixed(1)}</span>
          {row.goal > 0 && ` of ${row.goal} to keep`} ·{" "}
        </>
      )}
      <span className="figure">{bytes(row.bytes_before)}</span> →{" "}
      <span className="figure text-thistle">{bytes(file.bytes)}</span> ({less(row.bytes_before, file.bytes)})
      · {file.format} {file.settings} · <span className="figure">{`${file.width} × ${file.height}`}</span>
      {box && ` in ${Math.round(box.width)} × ${Math.round(box.height)} CSS px on the ${box.screen}`}
      {line && (
        <>
          {" "}
          · {seconds < 1 ? `${seconds.toFixed(1)} seconds` : duration(seconds)} on{" "}
          <Pick
            label="Connection"
            value={line.name}
            choices={site.connections.map((c) => [c.name, c.name] as const)}
            onChange={setLine}
          />
        </>
      )}
    </p>
  );
}
