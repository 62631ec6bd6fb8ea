import { expect, it } from "vitest";
import { viewingSize } from "./viewingSize";

const DESK = { width: 60, pixels: 1920, distance: 60 };

it("shows a picture pixel as a screen pixel where both fill the same angle", () => {
  const { zoom } = viewingSize(1920, { width: 60, distance: 60 }, DESK);
  expect(zoom).toBeCloseTo(1);
  expect(viewingSize(1920, { width: 60, distance: 120 }, DESK).zoom).toBeCloseTo(0.5);
  expect(viewingSize(3840, { width: 60, distance: 60 }, DESK).zoom).toBeCloseTo(0.5);
});

it("knows that a picture of 1080 lines at three picture heights has about 57 pixels a degree", () => {
  // ITU-R BT.500: 1920 x 1080 is viewed from 3.1 to 3.2 heights, where a pixel is one minute of arc
  const height = (1080 / 1920) * 100;
  expect(viewingSize(1920, { width: 100, distance: 3.2 * height }, DESK).perDegree).toBeCloseTo(60, -0.5);
});
