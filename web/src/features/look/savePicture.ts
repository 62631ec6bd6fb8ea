const STRIP = 28; // CSS pixels of the caption below

const neutral = (element: Element, property: "backgroundColor" | "color") =>
  getComputedStyle(element)[property];

/**
 * What an element shows of pictures, at the screen's own pixels, as a PNG: every canvas as it is, every caption
 * (`data-caption`) as text where it stands, and a strip below that says what it is.
 */
export async function pictureOf(root: HTMLElement, words: string): Promise<Blob | null> {
  const scale = window.devicePixelRatio;
  const base = root.getBoundingClientRect();
  const sheet = document.createElement("canvas");
  sheet.width = Math.round(base.width * scale);
  sheet.height = Math.round((base.height + STRIP) * scale);
  const context = sheet.getContext("2d", { alpha: false });
  if (!context) return null;
  context.fillStyle = neutral(root, "backgroundColor");
  context.fillRect(0, 0, sheet.width, sheet.height);
  context.font = `${13 * scale}px "Atkinson Hyperlegible Next Variable", sans-serif`;
  context.textBaseline = "middle";
  const write = (text: string, left: number, middle: number, width: number) => {
    context.save();
    context.beginPath();
    context.rect(left * scale, (middle - 20) * scale, width * scale, 40 * scale);
    context.clip();
    context.fillText(text, (left + 8) * scale, middle * scale);
    context.restore();
  };
  for (const canvas of root.querySelectorAll("canvas")) {
    const box = canvas.getBoundingClientRect();
    context.filter = canvas.style.filter || "none";
    context.drawImage(
      canvas,
      Math.round((box.left - base.left) * scale),
      Math.round((box.top - base.top) * scale),
    );
  }
  context.filter = "none";
  for (const caption of root.querySelectorAll<HTMLElement>("[data-caption]")) {
    const box = caption.getBoundingClientRect();
    context.fillStyle = "#2b2b2b";
    context.fillRect(
      (box.left - base.left) * scale,
      (box.top - base.top) * scale,
      box.width * scale,
      box.height * scale,
    );
    context.fillStyle = "#ececec";
    const text = caption.dataset.caption ?? "";
    write(text, box.left - base.left, box.top - base.top + box.height / 2, box.width);
  }
  context.fillStyle = "#1c1c1c";
  context.fillRect(0, base.height * scale, sheet.width, STRIP * scale);
  context.fillStyle = "#ececec";
  write(words, 0, base.height + STRIP / 2, base.width);
  return new Promise((done) => sheet.toBlob(done, "image/png"));
}

/** Offer a file for download. */
export function download(file: Blob, name: string) {
  const link = document.createElement("a");
  link.href = URL.createObjectURL(file);
  link.download = name;
  link.click();
  window.setTimeout(() => URL.revokeObjectURL(link.href), 10_000);
}
