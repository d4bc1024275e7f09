import { type ReactNode, useEffect, useState } from "react";
import { door, onNotLetIn } from "@/shared/api/door";

/** The application for a browser that it knows; for any other, how to be let in. */
export function LetIn({ children }: { children: ReactNode }) {
  const [known, setKnown] = useState(door !== "");
  useEffect(() => onNotLetIn(() => setKnown(false)), []);
  if (known) return children;
  return (
    <main className="mx-auto max-w-xl px-6 pt-32">
      <h1 className="mb-4">Ivory Thistle is running, but does not know this browser</h1>
      <p className="mb-3">This application belongs to the person who started it.</p>
      <p>
        Run <code className="figure">./thistle link</code> as that person and open the address it prints. It
        lets one browser in, once.
      </p>
    </main>
  );
}
