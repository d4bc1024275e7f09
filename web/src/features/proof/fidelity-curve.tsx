import { useQueries } from "@tanstack/react-query";
import { api, type Schemas, told } from "@/shared/api/client";
import { bytes } from "@/shared/format/figures";

type Point = Schemas["CurvePointOut"];
type File = Schemas["ProofFile"];
const WIDE = 292;
const HIGH = 128;
const LEFT = 46;
const BELOW = 18;
const DASHES = ["", "5 3", "2 3"];

export type Curve = { file: File; points: Point[]; isGrowing: boolean };

/** What the formats need for a look, each point really encoded: what the search tried at once, more in between later. */
export function useCurves(run: number, image: number, files: File[]): Curve[] {
  const found = useQueries({
    queries: files.map((file) => ({
      queryKey: ["run", run, "proof", image, "curve", file.id],
      queryFn: () =>
        told(
          api.GET("/api/v1/runs/{run_id}/proof/{image_id}/curve/{rendition_id}", {
            params: { path: { run_id: run, image_id: image, rendition_id: file.id } },
          }),
        ),
      staleTime: Number.POSITIVE_INFINITY,
      retry: false,
    })),
  });
  return files.map((file, n) => ({
    file,
    points: found[n]?.data ?? file.tried,
    isGrowing: found[n]?.isPending ?? false,
  }));
}

type Props = {
  curves: Curve[];
  goal: number;
  chosen: File;
  tried: { bytes: number; score: number } | null;
};

/** The fidelity curve: bytes (by powers) against the score, a line a format with dots for what the search tried, the
 * level that is to be kept, and the point that is taken. */
export function FidelityCurve({ curves, goal, chosen, tried }: Props) {
  const points = curves.flatMap((c) => c.points);
  if (points.length === 0) return null;
  const marked = tried ?? { bytes: chosen.bytes, score: chosen.score ?? Number.NaN };
  const sizes = [...points.map((p) => p.bytes), marked.bytes].map(Math.log);
  const scores = [...points.map((p) => p.score), goal || 100].filter((s) => s > -20);
  const [low, high] = [Math.min(...sizes), Math.max(...sizes)];
  const [least, most] = [Math.min(...scores), Math.max(...scores)];
  const x = (score: number) => LEFT + ((score - least) / (most - least || 1)) * (WIDE - LEFT - 8);
  const y = (size: number) => 8 + ((high - Math.log(size)) / (high - low || 1)) * (HIGH - BELOW - 16);
  const words = curves
    .filter((c) => c.points.length)
    .map(
      (c) =>
        `${c.file.format} from ${bytes(c.points[0]?.bytes ?? 0)} to ${bytes(c.points.at(-1)?.bytes ?? 0)}`,
    );
  return (
    <svg
      viewBox={`0 0 ${WIDE} ${HIGH}`}
      role="img"
      aria-label={`Bytes against score: ${words.join(", ")}`}
      className="block w-full max-w-[300px]"
    >
      {[Math.exp(low), Math.exp(high)].map((size) => (
        <text key={size} x={LEFT - 5} y={y(size) + 4} textAnchor="end" className="fill-ink-soft text-[10px]">
          {bytes(Math.round(size))}
        </text>
      ))}
      {[least, most].map((score) => (
        <text key={score} x={x(score)} y={HIGH - 4} textAnchor="middle" className="fill-ink-soft text-[10px]">
          {score.toFixed(0)}
        </text>
      ))}
      {goal > 0 && (
        <line x1={x(goal)} x2={x(goal)} y1={4} y2={HIGH - BELOW} className="stroke-stem" strokeWidth={1} />
      )}
      {curves.map((c, n) => (
        <g key={c.file.id}>
          <polyline
            points={c.points.map((p) => `${x(p.score)},${y(p.bytes)}`).join(" ")}
            fill="none"
            className={c.file.id === chosen.id ? "stroke-thistle" : "stroke-ink-soft"}
            strokeWidth={c.file.id === chosen.id ? 2 : 1}
            strokeDasharray={DASHES[n % DASHES.length]}
          />
          {c.file.tried.map((p) => (
            <circle
              key={p.quality}
              cx={x(p.score)}
              cy={y(p.bytes)}
              r={1.8}
              className={c.file.id === chosen.id ? "fill-thistle" : "fill-ink-soft"}
            />
          ))}
          {c.points.length > 0 && (
            <text
              x={Math.min(x(c.points.at(-1)?.score ?? 0), WIDE - 4)}
              y={y(c.points.at(-1)?.bytes ?? 1) + 12}
              textAnchor="end"
              className="fill-ink text-[10px]"
            >
              {c.file.format}
            </text>
          )}
        </g>
      ))}
      {Number.isFinite(marked.score) && (
        <rect
          x={x(marked.score) - 4}
          y={y(marked.bytes) - 4}
          width={8}
          height={8}
          className="fill-thistle stroke-card"
        />
      )}
    </svg>
  );
}

/** The quality at which a curve reaches a score or a size, between the points that were encoded. */
export function qualityFor(points: Point[], wanted: { score?: number; bytes?: number }): number | null {
  const value = (p: Point) => (wanted.bytes === undefined ? p.score : Math.log(p.bytes));
  const aim = wanted.bytes === undefined ? (wanted.score ?? 0) : Math.log(wanted.bytes);
  if (points.length < 2) return null;
  const reached = points.findIndex((p) => value(p) >= aim);
  const after = reached === -1 ? points.length - 1 : Math.max(1, reached);
  const [a, b] = [points[after - 1], points[after]];
  if (!a || !b) return null;
  const part = (aim - value(a)) / (value(b) - value(a) || 1);
  const quality = a.quality + part * (b.quality - a.quality);
  return Math.round(Math.min(100, Math.max(0, quality)));
}
