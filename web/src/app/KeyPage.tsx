import { useMutation } from "@tanstack/react-query";
import { useState } from "react";
import { answer, client } from "../api/client";
import { Button, FIELD, Page, Trouble } from "../ui/parts";

/** Asks for the key once; a cookie keeps it afterwards. */
export function KeyPage() {
  const [key, setKey] = useState("");
  const give = useMutation({
    mutationFn: () => answer(client.POST("/api/key", { body: { key } })),
    onSuccess: () => window.location.reload(),
  });
  return (
    <Page title="The key, please">
      <p className="mb-4 max-w-prose">
        You reach Mistline from another machine, so it asks for its key once. Whoever started it has set the
        key or seen it printed.
      </p>
      <form
        className="flex items-end gap-3"
        onSubmit={(event) => {
          event.preventDefault();
          give.mutate();
        }}
      >
        <label className="flex flex-col">
          <span className="text-note text-soft">Key</span>
          <input
            type="password"
            autoComplete="current-password"
            value={key}
            onChange={(event) => setKey(event.target.value)}
            className={`${FIELD} w-80`}
          />
        </label>
        <Button type="submit" tone="main" disabled={key.trim() === "" || give.isPending}>
          Come in
        </Button>
      </form>
      <div className="mt-3">
        <Trouble error={give.error} />
      </div>
    </Page>
  );
}
