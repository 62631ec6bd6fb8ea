import { useMutation, useQueryClient } from "@tanstack/react-query";
import { answer, client, type Method, type Model } from "../../api/client";
import { useModels, useRemoveModel } from "../../api/queries";
import { bytes } from "../../ui/format";
import { Importer } from "../../ui/Importer";
import { Button, Trouble } from "../../ui/parts";
import { useImport } from "../../ui/useImport";

const STATE = {
  waiting: "waits to be looked into",
  inspecting: "being looked into and tried",
  ready: "",
  failed: "",
};

function Row({ model }: { model: Model }) {
  const queries = useQueryClient();
  const remove = useRemoveModel();
  const again = useMutation({
    mutationFn: () =>
      answer(client.POST("/api/models/{model_id}/inspect", { params: { path: { model_id: model.id } } })),
    onSettled: () => queries.invalidateQueries({ queryKey: ["models"] }),
  });
  return (
    <li className="flex flex-wrap items-center gap-x-4 border-b border-line py-1" data-testid="model">
      <span className="font-medium">{model.name}</span>
      <span className="text-small text-soft">
        {bytes(model.file_bytes)}
        {model.state === "ready" ? ", ready: it is a method below" : `, ${STATE[model.state]}`}
      </span>
      {model.state === "failed" && (
        <>
          <span role="alert" className="basis-full border-l-4 border-accent bg-wash px-3 py-1">
            {model.error}
          </span>
          <Button tone="quiet" onClick={() => again.mutate()}>
            Try again
          </Button>
        </>
      )}
      <Button tone="quiet" onClick={() => remove.mutate(model)} aria-label={`Remove ${model.name}`}>
        Remove
      </Button>
      <Trouble error={remove.error} />
    </li>
  );
}

/** Where models come in, and what became of each. */
export function Models() {
  const importing = useImport("models");
  const { data = [], error } = useModels();
  return (
    <>
      <Importer {...importing} accept=".onnx">
        or drop ONNX models here, up to 200 MiB each. Every model is tried on a small picture first, apart
        from everything else, and becomes a method.
      </Importer>
      <Trouble error={error} />
      {data.length > 0 && (
        <ul className="-mt-3 mb-6 border-t border-line">
          {data.map((model) => (
            <Row key={model.id} model={model} />
          ))}
        </ul>
      )}
    </>
  );
}

type Card = NonNullable<Method["card"]>;

function Held({ card }: { card: Card }) {
  const rivals = Object.keys(card.figures?.[0]?.beside ?? {});
  if (!card.figures?.length) return null;
  const eight = card.figures.some((figure) => figure.eight_ways != null);
  return (
    <table className="mt-2 text-small">
      <caption className="text-left text-soft">
        Luma PSNR in dB on four photographs it has not seen, beside plain methods on the same input
      </caption>
      <thead>
        <tr className="text-right text-soft">
          <th />
          <th className="pl-4 font-medium text-ink">this model</th>
          {eight && <th className="pl-4 font-normal">mean of 8 ways</th>}
          {rivals.map((rival) => (
            <th key={rival} className="pl-4 font-normal">
              {rival}
            </th>
          ))}
        </tr>
      </thead>
      <tbody>
        {card.figures.map((figure) => {
          const best = Object.values(figure.beside).every((value) => figure.model >= value);
          return (
            <tr key={figure.test} className="border-t border-line text-right">
              <th scope="row" className="text-left font-normal">
                {figure.test}
              </th>
              <td className={`pl-4 ${best ? "font-semibold" : "text-accent-deep"}`}>
                {figure.model.toFixed(2)}
              </td>
              {eight && <td className="pl-4">{figure.eight_ways?.toFixed(2) ?? "–"}</td>}
              {rivals.map((rival) => (
                <td key={rival} className="pl-4">
                  {figure.beside[rival]?.toFixed(2) ?? "–"}
                </td>
              ))}
            </tr>
          );
        })}
      </tbody>
    </table>
  );
}

function facts(card: Card): string {
  return [
    card.factor > 1 ? `${card.factor} times larger` : "same size",
    card.channels === 3 ? "colour" : "brightness only",
    `${(card.parameters / 1000).toFixed(0)} k weights, ${bytes(card.file_bytes)}`,
    card.tile ? `in tiles of ${card.tile} pixels` : `sides in multiples of ${card.multiple}`,
    `reach ${card.overlap} px`,
    `white at ${card.top}, ${card.layout}, opset ${card.opset}`,
    `displacement ${card.shift_right.toFixed(2)} px right, ${card.shift_down.toFixed(2)} px down`,
  ].join("; ");
}

/** What is known of a model: how it is fed, how it came about, what it reached on pictures it had not seen. */
export function ModelFacts({ card }: { card: Card }) {
  return (
    <details className="mt-1 text-small">
      <summary className="cursor-pointer text-accent-deep">Model card</summary>
      <div className="mt-1 max-w-prose space-y-1">
        <p>{facts(card)}.</p>
        {[card.architecture, card.data, card.training, ...(card.notes ?? [])].filter(Boolean).map((line) => (
          <p key={line}>{line}</p>
        ))}
        <Held card={card} />
      </div>
    </details>
  );
}
