/** Who looks, at what, from how far: all lengths in one unit. */
export interface Audience {
  /** Width of the picture as the audience sees it: a print, a screen. */
  width: number;
  distance: number;
}

export interface Desk {
  /** Width of this screen and how many device pixels that is. */
  width: number;
  pixels: number;
  distance: number;
}

/** Sharp sight ends at about 60 pixels a degree (common practice). */
export const SHARP = 60;

/** How many picture pixels the audience has a degree of sight; small angles. */
export const perDegreeOf = (pixels: number, { width, distance }: Audience): number =>
  ((Math.PI / 180) * pixels * distance) / width;

/**
 * The zoom (device pixels per picture pixel) at which the picture fills the same angle at the desk as it does for the
 * audience, and how many picture pixels the audience has a degree; small angles.
 */
export function viewingSize(
  pixels: number,
  audience: Audience,
  desk: Desk,
): { zoom: number; perDegree: number } {
  const ofAudience = audience.width / pixels / audience.distance;
  const ofDesk = desk.width / desk.pixels / desk.distance;
  return { zoom: ofAudience / ofDesk, perDegree: perDegreeOf(pixels, audience) };
}
