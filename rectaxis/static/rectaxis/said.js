// A number of a scale in words: with its unit, and with the side of zero where it has two.

export const unitOf = ({ unit }) => (unit === "°" ? unit : ` ${unit}`);

export function said(text, scale) {
  const of = unitOf(scale);
  if (!scale.minus || !Number(text.replace("\u2212", "-"))) return `${text}${of}`;
  const below = text.startsWith("\u2212") || text.startsWith("-");
  return `${text.replace(/^[\u2212-]/, "")}${of} ${below ? scale.minus : scale.plus}`;
}
