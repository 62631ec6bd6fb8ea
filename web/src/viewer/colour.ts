/**
 * Colour difference on the screen: CIEDE2000 of two 8-bit sRGB colours, for pictures of differences. The core measures;
 * this only paints. G. Sharma, W. Wu, E. N. Dalal, Color Res. Appl. 30(1), 21-30, 2005; IEC 61966-2-1:1999.
 */
export type Lab = [number, number, number];

const LINEAR = Float64Array.from({ length: 256 }, (_, code) => {
  const value = code / 255;
  return value <= 0.04045 ? value / 12.92 : ((value + 0.055) / 1.055) ** 2.4;
});

const f = (t: number) => (t > 216 / 24389 ? Math.cbrt(t) : ((24389 / 27) * t + 16) / 116);

/** CIE L*a*b* (D65) of an 8-bit sRGB colour. */
export function labOf(red: number, green: number, blue: number): Lab {
  const [r, g, b] = [LINEAR[red] ?? 0, LINEAR[green] ?? 0, LINEAR[blue] ?? 0];
  const x = f((0.4124 * r + 0.3576 * g + 0.1805 * b) / 0.9505);
  const y = f(0.2126 * r + 0.7152 * g + 0.0722 * b);
  const z = f((0.0193 * r + 0.1192 * g + 0.9505 * b) / 1.089);
  return [116 * y - 16, 500 * (x - y), 200 * (y - z)];
}

const RADIANS = Math.PI / 180;
const FAR = 25 ** 7;

/** CIEDE2000 between two colours in L*a*b*; kL = kC = kH = 1. */
export function ciede2000([l1, a1, b1]: Lab, [l2, a2, b2]: Lab): number {
  const seventh = ((Math.hypot(a1, b1) + Math.hypot(a2, b2)) / 2) ** 7;
  const stretch = 1.5 - 0.5 * Math.sqrt(seventh / (seventh + FAR));
  const [c1, c2] = [Math.hypot(a1 * stretch, b1), Math.hypot(a2 * stretch, b2)];
  const turn = (a: number, b: number) => (Math.atan2(b, a * stretch) / RADIANS + 360) % 360;
  const [h1, h2] = [turn(a1, b1), turn(a2, b2)];
  const grey = c1 * c2 === 0;
  let dh = grey ? 0 : h2 - h1;
  if (dh > 180) dh -= 360;
  if (dh < -180) dh += 360;
  let hue = h1 + h2;
  if (!grey) {
    if (Math.abs(h1 - h2) > 180) hue += hue < 360 ? 360 : -360;
    hue /= 2;
  }
  const [l, c] = [(l1 + l2) / 2, (c1 + c2) / 2];
  const cosine = (degrees: number) => Math.cos(degrees * RADIANS);
  const t =
    1 -
    0.17 * cosine(hue - 30) +
    0.24 * cosine(2 * hue) +
    0.32 * cosine(3 * hue + 6) -
    0.2 * cosine(4 * hue - 63);
  const middle = (l - 50) ** 2;
  const light = (l2 - l1) / (1 + (0.015 * middle) / Math.sqrt(20 + middle));
  const chroma = (c2 - c1) / (1 + 0.045 * c);
  const shade = (2 * Math.sqrt(c1 * c2) * Math.sin((dh * RADIANS) / 2)) / (1 + 0.015 * c * t);
  const theta = 30 * Math.exp(-(((hue - 275) / 25) ** 2));
  const twist = -2 * Math.sqrt(c ** 7 / (c ** 7 + FAR)) * Math.sin(2 * theta * RADIANS);
  return Math.sqrt(light ** 2 + chroma ** 2 + shade ** 2 + twist * chroma * shade);
}
