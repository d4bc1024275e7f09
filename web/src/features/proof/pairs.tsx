import type { Schemas } from "@/shared/api/client";
import { thumbnailAddress } from "@/shared/api/queries";
import { bytes, fileName, less } from "@/shared/format/figures";
import { PictureGrid } from "@/shared/ui/picture-grid";
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

/** Everything as pairs, before and after, for a skim. */
export function Pairs({ rows, total, more, open }: Props) {
  const site = useSite();
  const halves = (row: Schemas["ProofRow"]) => [
    thumbnailAddress(site.capture.id, row.image_id),
    renditionAddress(site.capture.id, row.image_id, row.narrow_id),
  ];
  return (
    <PictureGrid
      label="Pairs"
      rows={rows}
      total={total}
      more={more}
      cell={CELL}
      line={LINE}
      keyOf={(row) => row.image_id}
    >
      {(row) => (
        <button type="button" onClick={() => open(row.image_id)} className="block w-full text-left">
          <span className="flex gap-px overflow-hidden bg-proof">
            {halves(row).map((address) => (
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
            {row.said && <strong className="text-thistle"> · {SAID_WORDS[row.said].split(":")[0]}</strong>}
          </span>
        </button>
      )}
    </PictureGrid>
  );
}
