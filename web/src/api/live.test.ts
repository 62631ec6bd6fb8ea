import { QueryClient } from "@tanstack/react-query";
import { expect, test } from "vitest";
import { patch, type Progress } from "./live";
import type { Queue, Trial } from "./client";

const told: Progress = { key: "b", stage: "measuring", progress: 0.8, seconds_left: 4, seconds_gone: 16 };

function shown() {
  const queries = new QueryClient();
  const items = ["a", "b"].map((key) => ({
    key,
    stage: "",
    progress: 0.5,
    seconds_left: 10,
    seconds_gone: 10,
  }));
  queries.setQueryData(["queue"], { items, number: 2, seconds_left: 20, failed: 0, low_disk: null });
  queries.setQueryData(["trials", "one"], { entries: [{ take_key: "b", stage: "", progress: 0.5 }] });
  queries.setQueryData(["trials", "two"], { entries: [{ take_key: "a", stage: "", progress: 0.5 }] });
  queries.setQueryData(["trials"], { pages: [], pageParams: [] });
  return queries;
}

test("what is told of a take is put into the dock and its trial, and nothing else", () => {
  const queries = shown();
  const other = queries.getQueryData(["trials", "two"]);
  patch(queries, told);
  const queue = queries.getQueryData<Queue>(["queue"]);
  expect(queue?.items.map(({ progress }) => progress)).toEqual([0.5, 0.8]);
  expect(queue?.items[1]).toMatchObject({ stage: "measuring", seconds_left: 4, seconds_gone: 16 });
  expect(queue?.seconds_left).toBe(14); // less by what this one has come nearer
  expect(queries.getQueryData<Trial>(["trials", "one"])?.entries[0]).toMatchObject({
    progress: 0.8,
    seconds_left: 4,
  });
  expect(queries.getQueryData(["trials", "two"])).toBe(other);
});

test("a take that nobody shows, and a time that nobody knows, change nothing", () => {
  const queries = shown();
  const before = queries.getQueryData(["queue"]);
  patch(queries, { ...told, key: "c" });
  expect(queries.getQueryData(["queue"])).toBe(before);
  queries.setQueryData(["queue"], (queue: Queue | undefined) => queue && { ...queue, seconds_left: null });
  patch(queries, told);
  expect(queries.getQueryData<Queue>(["queue"])?.seconds_left).toBeNull();
});
