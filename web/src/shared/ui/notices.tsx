import { Toast } from "radix-ui";
import { createContext, type ReactNode, useCallback, useContext, useState } from "react";

type Notice = { id: number; text: string; undo?: () => void };
type Say = (text: string, undo?: () => void) => void;

const Context = createContext<Say>(() => {});

/** Says something in passing, with a way to undo it. */
export const useNotice = (): Say => useContext(Context);

export function Notices({ children }: { children: ReactNode }) {
  const [notices, setNotices] = useState<Notice[]>([]);
  const say = useCallback<Say>((text, undo) => {
    setNotices((all) => [...all.slice(-2), { id: Date.now() + Math.random(), text, undo }]);
  }, []);
  const drop = (id: number) => setNotices((all) => all.filter((n) => n.id !== id));
  return (
    <Context.Provider value={say}>
      <Toast.Provider duration={9000} swipeDirection="down">
        {children}
        {notices.map((n) => (
          <Toast.Root
            key={n.id}
            onOpenChange={(open) => open || drop(n.id)}
            className="flex items-center gap-4 rounded border border-rule bg-card px-4 py-3 shadow-md"
          >
            <Toast.Title>{n.text}</Toast.Title>
            {n.undo && (
              <Toast.Action altText="Undo" asChild>
                <button type="button" onClick={n.undo} className="font-semibold text-thistle underline">
                  Undo
                </button>
              </Toast.Action>
            )}
          </Toast.Root>
        ))}
        <Toast.Viewport className="fixed top-2 left-1/2 z-20 flex w-max max-w-[90vw] -translate-x-1/2 flex-col gap-2" />
      </Toast.Provider>
    </Context.Provider>
  );
}
