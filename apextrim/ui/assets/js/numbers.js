// @ts-check
// Numbers in boxes.

// A plain number as typed, for comparing and stepping; NaN for anything that the server must read, such as an inline unit or
// a comma that could part thousands. What is sent is always what was typed.
export const parse = (text) => {
  const bare = String(text).trim().replace(/[\u2212\u2013]/, "-");
  if (!bare || /^[+-]?[1-9]\d{0,2}(,\d{3})+$/.test(bare)) return NaN;
  const part = /^([+-]?)(?:(\d+)[ -])?(\d+)\/(\d+)$/.exec(bare); // of an inch
  if (part) return (part[1] === "-" ? -1 : 1) * (Number(part[2] || 0) + Number(part[3]) / Number(part[4]));
  return Number(bare.replace(",", "."));
};

/**
 * A number as a box shows it: in whole ones and a fraction where its item is told so.
 * @param {number} value
 * @param {{ decimals?: unknown, parts?: unknown }} told
 */
export const written = (value, told) => {
  if (!told.parts) return value.toFixed(Number(told.decimals));
  const parts = Number(told.parts);
  const count = Math.round(Math.abs(value) * parts);
  const divisor = (a, b) => (b ? divisor(b, a % b) : a);
  const [whole, rest] = [Math.floor(count / parts), count % parts];
  const by = divisor(rest, parts);
  const text = [whole || !rest ? String(whole) : "", rest ? `${rest / by}/${parts / by}` : ""].filter(Boolean).join(" ");
  return (value < 0 && count ? "-" : "") + text;
};
