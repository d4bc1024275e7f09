import { thumbnailAddress } from "@/shared/api/queries";

type Props = { captureId: number; imageId: number; has: boolean; size: number };

/** A small picture on proof grey; an empty frame where the file can't be shown. */
export function Thumbnail({ captureId, imageId, has, size }: Props) {
  return (
    <span
      className="inline-flex shrink-0 items-center justify-center overflow-hidden bg-proof"
      style={{ width: size * 1.4, height: size }}
    >
      {has ? (
        <img
          src={thumbnailAddress(captureId, imageId)}
          alt=""
          loading="lazy"
          decoding="async"
          className="max-h-full max-w-full object-contain"
        />
      ) : (
        <span className="text-[10px] text-white">none</span>
      )}
    </span>
  );
}
