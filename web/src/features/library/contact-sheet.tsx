import { Link } from "@tanstack/react-router";
import type { Schemas } from "@/shared/api/client";
import { bytes, fileName } from "@/shared/format/figures";
import { PictureGrid } from "@/shared/ui/picture-grid";
import { useSite } from "@/shared/ui/site-context";
import { Thumbnail } from "@/shared/ui/thumbnail";
import type { Selection } from "./selection";

const CELL = 168;
const LINE = 176;

type Props = { rows: Schemas["ImageRow"][]; total: number; selection: Selection; more: () => void };

/** The pictures side by side on proof grey, to be judged by eye. */
export function ContactSheet({ rows, total, selection, more }: Props) {
  const site = useSite();
  return (
    <PictureGrid
      label="Contact sheet"
      rows={rows}
      total={total}
      more={more}
      cell={CELL}
      line={LINE}
      keyOf={(image) => image.id}
    >
      {(image) => (
        <div
          className={`flex flex-col border-2 ${selection.has(image.id) ? "border-thistle" : "border-transparent"}`}
        >
          <Link
            to="/sites/$siteId/library/$imageId"
            params={{ siteId: String(site.id), imageId: String(image.id) }}
            className="flex justify-center bg-proof"
            aria-label={image.path}
          >
            <Thumbnail captureId={site.capture.id} imageId={image.id} has={image.has_thumbnail} size={112} />
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
          <span className={`figure px-1 text-[12px] ${image.over_cap ? "text-madder" : "text-ink-soft"}`}>
            {bytes(image.bytes)}
            {image.over_cap && " over its cap"}
          </span>
        </div>
      )}
    </PictureGrid>
  );
}
