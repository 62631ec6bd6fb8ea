import { expect, it } from "vitest";
import { opening, withValues } from "./address";

it("opens as the address says, or as it was left where that says nothing", () => {
  const left = "panes=A%2CB&focus=1&x=10.0&y=20.0&z=2&side=spots";
  expect(opening("", left)).toBe(left);
  expect(opening("?side=remarks", left)).toBe("panes=A%2CB&focus=1&x=10.0&y=20.0&z=2&side=remarks");
  expect(opening("?panes=truth", left)).toBe("panes=truth");
  expect(opening("?x=1&y=2&z=1", left)).toBe("x=1&y=2&z=1");
  expect(opening("", "")).toBe("");
});

it("changes some values of an address and leaves the others", () => {
  expect(withValues("?panes=A&z=1", { z: "2", mode: "wall" })).toBe("panes=A&z=2&mode=wall");
});
