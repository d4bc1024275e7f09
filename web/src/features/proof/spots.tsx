import type { Schemas } from "@/shared/api/client";

const SIDE = 84;

type Props = {
  spots: Schemas["ProofSpot"][];
  original: string;
  rendition: string;
  file: Schemas["ProofFile"];
  onGo: (n: number) => void;
};

/** The places where most differs, worst first, as enlarged pairs: the original above, the rendition below. */
export function Spots({ spots, original, rendition, file, onGo }: Props) {
  return (
    <ol className="flex gap-2">
      {spots.map((spot, n) => (
        <li key={`${spot.x} ${spot.y}`}>
          <button type="button" onClick={() => onGo(n)} className="block text-left text-[12px]">
            <Crop picture={original} spot={spot} file={file} />
            <Crop picture={rendition} spot={spot} file={file} />
            <span className="sr-only">Go to spot {n + 1}: </span>
            <span aria-hidden="true">{n + 1} </span>
            {spot.damage}
          </button>
        </li>
      ))}
    </ol>
  );
}

type CropProps = { picture: string; spot: Schemas["ProofSpot"]; file: Schemas["ProofFile"] };

function Crop({ picture, spot, file }: CropProps) {
  const scale = SIDE / Math.max(spot.width, 1);
  return (
    <span className="relative mb-px block overflow-hidden bg-proof" style={{ width: SIDE, height: SIDE }}>
      <img
        src={picture}
        alt=""
        className="absolute max-w-none [image-rendering:pixelated]"
        style={{
          width: file.width * scale,
          height: file.height * scale,
          left: -spot.x * scale,
          top: -spot.y * scale,
        }}
      />
    </span>
  );
}
