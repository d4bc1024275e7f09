import { useQuery } from "@tanstack/react-query";
import { api, type Schemas, told } from "@/shared/api/client";
import { count } from "@/shared/format/figures";
import { useSite } from "@/shared/ui/site-context";
import { TableHead } from "@/shared/ui/table-head";

const SIZE = 300;

/** Nested outlines, to scale: what the file holds, and what the largest slot of each screen needs. */
export function PixelFrame({ image }: { image: Schemas["ImageDetail"] }) {
  const site = useSite();
  const slots = useQuery({
    queryKey: ["capture", site.capture.id, "image", image.id, "slots"],
    queryFn: () =>
      told(
        api.GET("/api/v1/captures/{capture_id}/images/{image_id}/slots", {
          params: { path: { capture_id: site.capture.id, image_id: image.id } },
        }),
      ),
  });
  const needs = largestPerScreen((slots.data ?? []).filter((slot) => slot.needed_width > 0));
  const widest = Math.max(0, ...needs.map((n) => n.width));
  if (!image.width || image.format === "svg" || needs.length === 0) return null;
  const scale = SIZE / Math.max(image.width, widest, image.height, ...needs.map((n) => n.height));
  const height = scale * Math.max(image.height, ...needs.map((n) => n.height));
  const enough = Math.ceil(Math.min(widest, image.width));
  const wasted = 1 - Math.min(1, (enough / image.width) ** 2);
  return (
    <section className="mt-8">
      <h2 className="mb-3">Pixels held and pixels needed</h2>
      <div className="flex flex-wrap gap-8">
        <svg
          width={SIZE + 2}
          height={height + 2}
          viewBox={`-1 -1 ${SIZE + 2} ${height + 2}`}
          role="img"
          aria-label="Outlines of the file and of the slots, to scale"
        >
          <rect
            width={image.width * scale}
            height={image.height * scale}
            fill="var(--rule)"
            stroke="var(--ink)"
            strokeWidth="2"
          />
          {needs.map((n) => (
            <rect
              key={n.screen}
              width={n.width * scale}
              height={n.height * scale}
              fill="none"
              stroke="var(--thistle)"
              strokeWidth="1.5"
            />
          ))}
        </svg>
        <div>
          <p>
            {wasted > 0.05 ? (
              <>
                <strong>{count(wasted * 100)} % of the pixels are never shown</strong>; a width of{" "}
                <span className="figure">{count(enough)}</span> would do.
              </>
            ) : (
              "The file holds no more pixels than its slots need."
            )}
          </p>
          <p className="mb-3 text-ink-soft">
            {slots.data?.every((s) => s.measured) ? "Measured in Chromium" : "Estimated from markup"}; up to
            two pixels a CSS px are counted as needed.
          </p>
          <table className="border-collapse">
            <TableHead words={["Screen", "Largest slot, CSS px", "Needs, pixels", "On"]} />
            <tbody className="divide-y divide-rule">
              {needs.map((n) => (
                <tr key={n.screen}>
                  <td className="py-1.5 pr-8">{n.screen}</td>
                  <td className="figure py-1.5 pr-8">
                    {count(n.slot.width)} × {count(n.slot.height)}
                  </td>
                  <td className="figure py-1.5 pr-8">
                    {count(n.width)} × {count(n.height)}
                  </td>
                  <td className="py-1.5">{n.slot.page_path}</td>
                </tr>
              ))}
            </tbody>
          </table>
        </div>
      </div>
    </section>
  );
}

type Need = { screen: string; width: number; height: number; slot: Schemas["ImageSlot"] };

function largestPerScreen(slots: Schemas["ImageSlot"][]): Need[] {
  const found = new Map<string, Need>();
  for (const slot of slots) {
    const need = { screen: slot.screen, width: slot.needed_width, height: slot.needed_height, slot };
    if (need.width > (found.get(slot.screen)?.width ?? 0)) found.set(slot.screen, need);
  }
  return [...found.values()].sort((a, b) => b.width - a.width);
}
