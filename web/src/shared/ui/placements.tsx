import { Link } from "@tanstack/react-router";
import type { Schemas } from "@/shared/api/client";

type Props = { siteId: string; rows: Schemas["PlacementOut"][]; shows: "image" | "page" };

const LOOK = "py-1.5 pr-4 align-top break-all";

/** Placements as a table: where each stands in the source, and what it leads to. */
export function Placements({ siteId, rows, shows }: Props) {
  return (
    <table className="w-full border-collapse">
      <thead className="text-ink-soft">
        <tr className="border-b border-rule">
          <th scope="col" className={LOOK}>
            {shows === "image" ? "Image" : "Page"}
          </th>
          <th scope="col" className={LOOK}>
            Used by
          </th>
          <th scope="col" className={LOOK}>
            In
          </th>
        </tr>
      </thead>
      <tbody className="divide-y divide-rule">
        {rows.map((p) => (
          <tr key={p.id}>
            <td className={LOOK}>
              {shows === "image" ? <Target siteId={siteId} row={p} /> : <From siteId={siteId} row={p} />}
            </td>
            <td className={LOOK}>
              <span className="figure">
                {p.element} {p.attribute} {p.descriptor}
              </span>
              {p.use === "social" && <span className="block text-ink-soft">for social cards only</span>}
            </td>
            <td className={`${LOOK} text-ink-soft`}>
              {p.source}, line {p.line}
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

function Target({ siteId, row }: { siteId: string; row: Schemas["PlacementOut"] }) {
  if (row.image_id === null) return <span className="text-madder">{row.address} (missing)</span>;
  return (
    <Link to="/sites/$siteId/library/$imageId" params={{ siteId, imageId: String(row.image_id) }}>
      {row.file ?? row.address}
    </Link>
  );
}

function From({ siteId, row }: { siteId: string; row: Schemas["PlacementOut"] }) {
  return (
    <Link to="/sites/$siteId/audit/$pageId" params={{ siteId, pageId: String(row.page_id) }}>
      {row.page_path}
    </Link>
  );
}
