import { Link } from "@tanstack/react-router";
import { useSite } from "@/shared/ui/site-context";

const LOOK =
  "border-b-2 border-transparent pb-0.5 text-ink-soft no-underline hover:text-ink [&.active]:border-thistle [&.active]:text-ink";

/** The two sides of an audit: what pages weigh, and what is wrong. */
export function AuditTabs() {
  const site = useSite();
  const params = { siteId: String(site.id) };
  return (
    <nav aria-label="Sides of the audit" className="mb-6 flex gap-6">
      <Link
        to="/sites/$siteId/audit"
        params={params}
        activeOptions={{ exact: true, includeSearch: false }}
        className={LOOK}
      >
        {site.pictures_alone ? "Folders" : "Pages"}
      </Link>
      <Link to="/sites/$siteId/findings" params={params} className={LOOK}>
        Findings
      </Link>
    </nav>
  );
}
