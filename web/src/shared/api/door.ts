/**
 * The first part of the path under which the application answers this browser (src/ivory_thistle/api/access.py).
 *
 * It comes once, behind the # of the address that a one-time link leads to, and is kept in the storage of this origin:
 * no other server of the machine, whatever its port, is ever asked for a path that begins with it.
 */
const KEPT = "thistle-door";

function found(): string {
  const given = new URLSearchParams(window.location.hash.slice(1)).get("door");
  if (given) window.history.replaceState(null, "", window.location.pathname + window.location.search);
  try {
    if (given) window.localStorage.setItem(KEPT, given);
    return given ?? window.localStorage.getItem(KEPT) ?? "";
  } catch {
    // Where the browser keeps nothing, the door is known until the page is closed.
    return given ?? "";
  }
}

export const door = found();

/** The address of something of the interface, for what asks for it by itself: pictures, downloads, events. */
export const behindDoor = (path: `/api/${string}`): string => (door ? `/${door}${path}` : path);

const NOT_LET_IN = "thistle-not-let-in";

/** Says that the application does not know this browser, or not any more. */
export const sayNotLetIn = () => window.dispatchEvent(new Event(NOT_LET_IN));

/** Calls back when that is said; gives what takes it back. */
export function onNotLetIn(act: () => void): () => void {
  window.addEventListener(NOT_LET_IN, act);
  return () => window.removeEventListener(NOT_LET_IN, act);
}
