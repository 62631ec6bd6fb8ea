import { expect, it } from "vitest";
import { readAsked } from "./asked";

const asked = (address: string) => readAsked(new URLSearchParams(address));

it("asks for what the address names", () => {
  expect(asked("words=+board&kind=faces&size=medium&noise=strong&tried=new")).toEqual({
    words: "board",
    kind: "faces",
    least_mp: 2,
    most_mp: 9,
    least_noise: 6,
    tried: "new",
  });
});

it("asks nothing where the address is empty or wrong", () => {
  expect(asked("words=++&size=enormous&noise=&tried=often")).toEqual({});
});
