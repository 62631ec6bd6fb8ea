import { useEffect, useState } from "react";
import { useSearchParams } from "react-router";
import type { Kind } from "../../api/client";
import { Button } from "../../ui/parts";
import { NOISES, SIZES, TRIED } from "./asked";

const TYPING_MS = 250;
const FIELD = "rounded-sm border border-line bg-sheet px-2 py-1.5";

/** Search and filters of the Shelf, kept in the address. */
export function Asking({ kinds, found }: { kinds: Kind[]; found: string }) {
  const [params, setParams] = useSearchParams();
  const [words, setWords] = useState(params.get("words") ?? "");
  const put = (key: string, value: string) =>
    setParams(
      (before) => {
        if (value) before.set(key, value);
        else before.delete(key);
        return before;
      },
      { replace: true },
    );
  useEffect(() => {
    if (words === (params.get("words") ?? "")) return;
    const timer = window.setTimeout(() => put("words", words), TYPING_MS);
    return () => window.clearTimeout(timer);
    // What is typed leads; the address follows.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [words]);
  const choices: [string, string, [string, string][]][] = [
    [
      "kind",
      "every kind",
      [...kinds.map(({ id, name }): [string, string] => [id, name]), ["none", "without a kind"]],
    ],
    ...[
      ["size", "every size", SIZES] as const,
      ["noise", "any noise", NOISES] as const,
      ["tried", "tried or not", TRIED] as const,
    ].map(([key, every, of]): [string, string, [string, string][]] => [
      key,
      every,
      Object.entries(of).map(([id, [name]]): [string, string] => [id, name]),
    ]),
  ];
  const list = params.get("as") === "list";
  const asking = choices.some(([key]) => params.has(key)) || words !== "";
  return (
    <div role="search" aria-label="Sources" className="mb-4 flex flex-wrap items-center gap-2">
      <input
        type="search"
        aria-label="Search the Shelf"
        placeholder="Name or story"
        maxLength={200}
        value={words}
        onChange={(event) => setWords(event.target.value)}
        className={`${FIELD} w-44`}
      />
      {choices.map(([key, every, of]) => (
        <select
          key={key}
          aria-label={`Only of this ${key}`}
          value={params.get(key) ?? ""}
          onChange={(event) => put(key, event.target.value)}
          className={`${FIELD} max-w-40`}
        >
          <option value="">{every}</option>
          {of.map(([id, name]) => (
            <option key={id} value={id}>
              {name}
            </option>
          ))}
        </select>
      ))}
      {asking && (
        <Button
          tone="quiet"
          onClick={() => {
            setWords("");
            setParams(list ? { as: "list" } : {}, { replace: true });
          }}
        >
          Show all
        </Button>
      )}
      <p role="status" className="text-soft">
        {found}
      </p>
      <div role="group" aria-label="Show as" className="ml-auto flex">
        {(["", "list"] as const).map((as) => (
          <Button
            key={as}
            aria-pressed={list === (as === "list")}
            className="first:rounded-r-none last:rounded-l-none last:border-l-0 aria-pressed:bg-well"
            onClick={() => put("as", as)}
          >
            {as ? "List" : "Cards"}
          </Button>
        ))}
      </div>
    </div>
  );
}
