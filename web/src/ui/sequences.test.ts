import { describe, expect, it } from "vitest";
import { sequencesIn } from "./sequences";

const files = (...names: string[]) => names.map((name) => new File(["x"], name));

describe("sequencesIn", () => {
  it("joins what differs by its number only, in the order of the numbers", () => {
    const { sequences, single } = sequencesIn(
      files("shot_10.png", "shot_9.png", "shot_8.png", "board.png", "notes_1.txt"),
    );
    expect(sequences.map(({ name, frames }) => [name, frames.length])).toEqual([
      ["shot_8.png to shot_10.png", 3],
    ]);
    expect(single.map(({ name }) => name)).toEqual(["board.png", "notes_1.txt"]);
  });

  it("leaves two numbered stills alone and keeps kinds and names apart", () => {
    const { sequences, single } = sequencesIn(
      files("a1.png", "a2.png", "b1.exr", "b2.exr", "b3.exr", "b3.dpx", "take2_001.tif", "take3_001.tif"),
    );
    expect(sequences.map(({ name }) => name)).toEqual(["b1.exr to b3.exr"]);
    expect(single).toHaveLength(5);
  });
});
