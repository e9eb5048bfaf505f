// Numbers as the user chose to see them: shown = value x factor + offset. The server says which quantity a number is.
export const PLAIN = { unit: "", factor: 1, offset: 0 };

export const show = (q, value) => value * q.factor + q.offset;
export const read = (q, shown) => Number(((shown - q.offset) / q.factor).toFixed(9));
export const width = (q) => ({ unit: q.unit, factor: q.factor, offset: 0 });
export const fixed = (q, value, decimals = 1) => `${show(q, value).toFixed(decimals)} ${q.unit}`.trim();
export const typed = (q, value) => String(Number(show(q, value).toPrecision(7)));

// A number of things: 1 place, 2 places.
export const many = (number, one, several = `${one}s`) => `${number} ${number === 1 ? one : several}`;

// What somebody typed, with a comma or a point before its decimals: null where it is empty, NaN where it is no number.
export function numberOf(text) {
  const plain = String(text).trim().replace(",", ".");
  return plain === "" ? null : Number(plain);
}

// How the readings of a state are shown: as the server says beside them.
export const quantityOf = (readings) => Object.values(readings)[0]?.shown ?? PLAIN;

// The user's scale for temperatures, on pages that carry no other data.
export function pageLevel() {
  const choice = document.querySelector("[data-temperature-scale]");
  return { unit: choice.value, factor: Number(choice.dataset.factor), offset: Number(choice.dataset.offset) };
}
