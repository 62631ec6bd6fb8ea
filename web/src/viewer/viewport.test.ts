import { beforeEach, describe, expect, it } from "vitest";
import { fitZoom, useViewport, visible, zoomOf } from "./viewport";

const view = () => useViewport.getState();

beforeEach(() => {
  view().open({ width: 4000, height: 2000 });
  view().setPane(1000, 800);
  view().zoomTo(null);
  useViewport.setState({ smooth: false });
});

describe("opening", () => {
  it("is at 100 % where the picture is larger than its pane, else it fits", () => {
    view().open({ width: 4000, height: 2000 });
    view().setPane(1000, 800);
    expect(view()).toMatchObject({ x: 2000, y: 1000, zoom: 1 });
    view().zoomTo(null);
    view().setPane(900, 700); // afterwards it is as people want it
    expect(view().zoom).toBeNull();
    view().open({ width: 300, height: 200 });
    view().setPane(1000, 800);
    expect(view().zoom).toBeNull();
  });

  it("is where the address says", () => {
    view().open({ width: 4000, height: 2000 }, { x: 9, y: 9, zoom: null });
    view().setPane(1000, 800);
    expect(view()).toMatchObject({ x: 9, y: 9, zoom: null });
  });
});

describe("fit", () => {
  it("shows the whole picture by its tighter side", () => {
    expect(zoomOf(view())).toBe(0.25);
    expect(fitZoom({ extent: { width: 100, height: 4000 }, pane: { width: 1000, height: 800 } })).toBe(0.2);
  });

  it("stops enlarging tiny pictures at the nearest zoom", () => {
    expect(fitZoom({ extent: { width: 4, height: 4 }, pane: { width: 1000, height: 800 } })).toBe(32);
  });

  it("comes back to the centre", () => {
    view().zoomTo(2);
    view().panBy(300, 120);
    view().zoomTo(null);
    expect(view()).toMatchObject({ x: 2000, y: 1000, zoom: null });
  });
});

describe("the visible part", () => {
  it("enlarges a small picture by a whole factor", () => {
    expect(fitZoom({ extent: { width: 300, height: 200 }, pane: { width: 1000, height: 800 } })).toBe(3);
    expect(fitZoom({ extent: { width: 600, height: 500 }, pane: { width: 1000, height: 800 } })).toBe(1);
  });

  it("is the whole picture when it fits", () => {
    expect(visible(view())).toEqual({ left: 0, top: 0, width: 4000, height: 2000 });
  });

  it("is what a pane shows, cut at the picture's edge", () => {
    view().open({ width: 4000, height: 2000 }, { x: 100, y: 1000, zoom: 2 });
    expect(visible(view())).toEqual({ left: 0, top: 800, width: 350, height: 400 });
  });
});

describe("pan", () => {
  it("moves the centre against the drag, by device pixels", () => {
    view().zoomTo(2);
    view().panBy(40, -20);
    expect(view()).toMatchObject({ x: 1980, y: 1010, zoom: 2 });
  });

  it("keeps the centre on the picture", () => {
    view().zoomTo(1);
    view().panBy(99999, 99999);
    expect(view()).toMatchObject({ x: 0, y: 0 });
    view().panBy(-99999, -99999);
    expect(view()).toMatchObject({ x: 4000, y: 2000 });
  });
});

describe("zoom", () => {
  it("leaves the place under the pointer where it is", () => {
    view().zoomTo(1);
    const [offX, offY] = [200, -150];
    const before = { x: view().x + offX / 1, y: view().y + offY / 1 };
    view().zoomAbout(offX, offY, 2.5);
    const after = { x: view().x + offX / 2.5, y: view().y + offY / 2.5 };
    expect(after.x).toBeCloseTo(before.x, 9);
    expect(after.y).toBeCloseTo(before.y, 9);
    expect(view().zoom).toBe(2.5);
  });

  it("ends at 32 device pixels for a picture pixel, and at fit or 1/32", () => {
    view().zoomAbout(0, 0, 1e6);
    expect(view().zoom).toBe(32);
    view().zoomAbout(0, 0, 1e-9);
    expect(view().zoom).toBe(1 / 32);
  });

  it("undoes itself", () => {
    view().zoomTo(1);
    view().zoomAbout(123, 45, 3);
    view().zoomAbout(123, 45, 1 / 3);
    expect(view().x).toBeCloseTo(2000, 9);
    expect(view().y).toBeCloseTo(1000, 9);
  });

  it("keeps the place when a step is chosen", () => {
    view().zoomTo(1);
    view().panBy(100, 100);
    const { x, y } = view();
    view().zoomTo(4);
    expect(view()).toMatchObject({ x, y, zoom: 4 });
  });
});

it("opens at a place that a link names", () => {
  view().open({ width: 500, height: 400 }, { x: 10, y: 20, zoom: 3 });
  expect(view()).toMatchObject({ x: 10, y: 20, zoom: 3, extent: { width: 500, height: 400 } });
});

it("smooths only when asked", () => {
  expect(view().smooth).toBe(false);
  view().dress({ smooth: true, lift: 1, surround: 1 });
  expect(view().smooth).toBe(true);
});
