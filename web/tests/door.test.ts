import { beforeEach, describe, expect, it, vi } from "vitest";

async function opened(at: string) {
  vi.resetModules();
  window.history.replaceState(null, "", at);
  return await import("@/shared/api/door");
}

describe("the door", () => {
  beforeEach(() => window.localStorage.clear());

  it("comes behind the # once, leaves the address, and is kept for later", async () => {
    const first = await opened("/#door=d-abc");
    expect([first.door, first.behindDoor("/api/v1/sites")]).toEqual(["d-abc", "/d-abc/api/v1/sites"]);
    expect(window.location.hash).toBe("");
    expect((await opened("/sites/1/audit?screen=phone")).door).toBe("d-abc");
    expect(window.location.search).toBe("?screen=phone");
  });

  it("is none for a browser that was never let in", async () => {
    const { door, behindDoor } = await opened("/");
    expect([door, behindDoor("/api/v1/sites")]).toEqual(["", "/api/v1/sites"]);
  });

  it("is known until the page is closed where the browser keeps nothing", async () => {
    vi.spyOn(window.localStorage, "setItem").mockImplementation(() => {
      throw new DOMException("no room", "QuotaExceededError");
    });
    expect((await opened("/#door=d-abc")).door).toBe("d-abc");
  });
});
