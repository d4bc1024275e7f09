import type { Schemas } from "@/shared/api/client";
import { behindDoor } from "@/shared/api/door";

const AROUND = 90;
const SIDES = [
  ["before", "As it was"],
  ["after", "As it will be"],
] as const;

/** A page before and after, cut to where it differs most, which is outlined. */
export function PagePictures({ check, load }: { check: number; load: Schemas["CheckedLoad"] }) {
  const spot = load.spot ?? { x: 0, y: 0, width: 320, height: 200 };
  const left = Math.max(0, spot.x - AROUND);
  const top = Math.max(0, spot.y - AROUND);
  return (
    <div className="mt-2 flex flex-wrap gap-4 bg-proof p-4">
      {SIDES.map(([side, words]) => {
        const address = behindDoor(`/api/v1/checks/${check}/loads/${load.id}/${side}`);
        return (
          <figure key={side}>
            <div
              className="relative max-w-full overflow-hidden"
              style={{ width: spot.width + 2 * AROUND, height: spot.height + 2 * AROUND }}
            >
              <img
                src={address}
                alt={`${load.path} on ${load.screen}, ${words.toLowerCase()}`}
                className="absolute max-w-none"
                style={{ left: -left, top: -top }}
              />
              {load.spot && (
                <div
                  className="absolute border-2 border-thistle outline-2 outline-paper"
                  style={{ left: spot.x - left, top: spot.y - top, width: spot.width, height: spot.height }}
                />
              )}
            </div>
            <figcaption className="mt-1 bg-card px-2 py-0.5">
              {words}.{" "}
              <a href={address} target="_blank" rel="noreferrer">
                Whole page
              </a>
            </figcaption>
          </figure>
        );
      })}
    </div>
  );
}
