import { useQuery } from "@tanstack/react-query";
import { type ReactNode, useEffect, useRef, useState } from "react";
import { api, told } from "@/shared/api/client";
import { findingsQuery } from "@/shared/api/queries";
import { count } from "@/shared/format/figures";
import { Button } from "@/shared/ui/basics";
import { useSite } from "@/shared/ui/site-context";
import { FACETS, type Facet, type Narrowing, NOT_NARROWED, narrows } from "./narrowing";

type Props = {
  label: string;
  filter: Narrowing;
  change: (part: Partial<Narrowing>) => void;
  /** More that narrows, and whether it does. */
  children?: ReactNode;
  narrowsMore?: boolean;
  showAll?: () => void;
  /** Whether to tell how many images of the whole capture a value would show. */
  counts?: boolean;
};

const SHOWN = 8;

/** What the images can be narrowed by; counts are those of the whole capture. */
export function Facets({
  label,
  filter,
  change,
  children,
  narrowsMore = false,
  showAll,
  counts = true,
}: Props) {
  const site = useSite();
  const facets = useQuery({
    queryKey: ["capture", site.capture.id, "facets"],
    queryFn: () =>
      told(
        api.GET("/api/v1/captures/{capture_id}/facets", {
          params: { path: { capture_id: site.capture.id } },
        }),
      ),
  });
  const field = useRef<HTMLInputElement>(null);
  const [find, setFind] = useState(filter.find);
  // The address may change by itself (back, a link, "Show all again"), but not under the fingers that type.
  useEffect(() => {
    if (document.activeElement !== field.current) setFind(filter.find);
  }, [filter.find]);
  const titles = new Map(useQuery(findingsQuery(site.capture.id)).data?.groups.map((g) => [g.code, g.title]));
  const toggle = (facet: Facet, value: string) => {
    const now = filter[facet];
    change({ [facet]: now.includes(value) ? now.filter((v) => v !== value) : [...now, value] });
  };
  return (
    <search
      className="min-h-0 space-y-4 overflow-y-auto pr-2 pb-4 max-md:max-h-64 max-md:border-b max-md:border-rule"
      aria-label={label}
    >
      <input
        type="search"
        aria-label="Find in paths"
        placeholder="Find in paths"
        value={find}
        onChange={(e) => {
          setFind(e.target.value);
          change({ find: e.target.value || undefined });
        }}
        ref={field}
        className="w-full rounded border border-rule bg-card px-2 py-1.5"
      />
      {children}
      {(narrows(filter) || narrowsMore) && (
        <Button onClick={showAll ?? (() => change(NOT_NARROWED))}>Show all again</Button>
      )}
      {FACETS.map(([facet, title]) => {
        const values = facets.data?.[facet] ?? [];
        return (
          values.length > 1 && (
            <details key={facet} open={facet !== "folder" || filter.folder.length > 0}>
              <summary className="cursor-pointer text-ink-soft">{title}</summary>
              <ul className="mt-1">
                {values
                  .filter((v, n) => n < SHOWN || filter[facet].includes(v.value) || facet === "finding")
                  .map((v) => (
                    <li key={v.value}>
                      <label className="flex items-center gap-1">
                        <input
                          type="checkbox"
                          checked={filter[facet].includes(v.value)}
                          onChange={() => toggle(facet, v.value)}
                        />
                        <span
                          className="min-w-0 flex-1 truncate"
                          title={facet === "finding" ? titles.get(v.value) : v.value}
                        >
                          {facet === "finding" ? v.value.replaceAll("-", " ") : v.value}
                        </span>
                        {counts && <span className="figure text-[12px] text-ink-soft">{count(v.count)}</span>}
                      </label>
                    </li>
                  ))}
              </ul>
            </details>
          )
        );
      })}
    </search>
  );
}
