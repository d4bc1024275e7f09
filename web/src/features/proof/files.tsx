import type { Schemas } from "@/shared/api/client";
import { bytes } from "@/shared/format/figures";

type FilesProps = {
  files: Schemas["ProofFile"][];
  file: Schemas["ProofFile"];
  choose: (id: number) => void;
};

/** Every file of the image: formats at the same look, and the widths of each. */
export function Files({ files, file, choose }: FilesProps) {
  const formats = [...new Set(files.map((f) => f.format))];
  return (
    <div>
      <h2 className="mb-0.5 text-[16px]">Files</h2>
      {formats.map((format) => (
        <p key={format} className="mb-1 flex flex-wrap items-baseline gap-1">
          <span className="w-10 text-ink-soft">{format}</span>
          {files
            .filter((f) => f.format === format)
            .map((f) => (
              <button
                key={f.id}
                type="button"
                aria-pressed={f.id === file.id}
                onClick={() => choose(f.id)}
                className="rounded border border-rule bg-card px-1.5 py-0.5 text-[12px] aria-pressed:border-thistle aria-pressed:text-thistle"
              >
                <span className="figure">{f.width}</span> px, <span className="figure">{bytes(f.bytes)}</span>
              </button>
            ))}
        </p>
      ))}
    </div>
  );
}
