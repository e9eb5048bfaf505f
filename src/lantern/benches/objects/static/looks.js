// How each verdict on an object is drawn: colour token, dash, width, what stands at the track's end; later ones lie
// below.
export const LOOKS = {
  raised: ["patina", [], 1.7, "lozenge"],
  raised_false: ["oxide", [], 2, "cross"],
  rearm: ["patina", [1, 3], 1.4, "dot"],
  outside_hours: ["patina", [8, 4], 1.5, "lozenge"],
  class: ["quiet", [5, 3], 1.1, "bar"],
  size: ["quiet", [5, 3], 1.1, "bar"],
  confidence: ["quiet", [2, 3], 1, "bar"],
  other_direction: ["plum", [7, 3], 1.2, "open"],
  not_across: ["plum", [7, 2, 2, 2], 1.3, "open"],
  turned_back: ["plum", [4, 2], 1.5, "open"],
  beyond_end: ["ink", [4, 2], 1.3, "bar"],
  unseen_before: ["ink", [2, 2], 1.3, "bar"],
  too_short: ["brass", [6, 2], 1.3, "open"],
  born_inside: ["brass", [2, 2], 1.3, "open"],
  still_inside: ["brass", [2, 2], 1.3, "open"],
  late: ["brass", [6, 2, 2, 2], 1.3, "open"],
  part: ["brass", [4, 3], 1.2, "open"],
  away: ["strong-rule", [], 0.7, ""],
};
export const look = (code) => {
  const [colour, dash, width, end] = LOOKS[code];
  return { colour, dash, width, end };
};
