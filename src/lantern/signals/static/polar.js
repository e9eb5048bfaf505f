// Sectors between two ranges and two bearings, as they are drawn: [[near, left], [far, right]] in metres and degrees
// clockwise from what is ahead; places are [x, y] in metres, to the right and ahead.
const STEP_DEG = 3;
const LEAST_M = 0.1;
const LEAST_DEG = 1;
const radians = (deg) => (deg * Math.PI) / 180;

export const placeOf = ([range, deg]) => [range * Math.sin(radians(deg)), range * Math.cos(radians(deg))];
export const polarOf = ([x, y]) => [Math.hypot(x, y), (Math.atan2(x, y) * 180) / Math.PI];

// Its edge: the far arc to the right, the near one back.
export function outlineOf([[near, left], [far, right]]) {
  const steps = Math.max(Math.ceil((right - left) / STEP_DEG), 1);
  const bearings = Array.from({ length: steps + 1 }, (_, n) => left + ((right - left) * n) / steps);
  const back = near > 0 ? [...bearings].reverse().map((deg) => placeOf([near, deg])) : [[0, 0]];
  return [...bearings.map((deg) => placeOf([far, deg])), ...back];
}

const rounded = ([range, deg]) => [Math.round(range * 100) / 100, Math.round(deg * 10) / 10];

// Between two places, whichever was drawn first.
export function sectorBetween(one, other) {
  const [[r0, a0], [r1, a1]] = [polarOf(one), polarOf(other)];
  const sector = [rounded([Math.min(r0, r1), Math.min(a0, a1)]), rounded([Math.max(r0, r1), Math.max(a0, a1)])];
  return isSector(sector) ? sector : null;
}

const isSector = ([[near, left], [far, right]]) => far - near >= LEAST_M && right - left >= LEAST_DEG && near >= 0;

// A corner, or all of it, dragged from one place to another; as it was where that would make none.
export function draggedSector(points, corner, from, to) {
  const [[r0, a0], [r1, a1]] = [polarOf(from), polarOf(to)];
  const moved =
    corner === null
      ? points.map(([range, deg]) => rounded([range + r1 - r0, deg + a1 - a0]))
      : points.map((point, at) => (at === corner ? rounded([r1, a1]) : point));
  return isSector(moved) ? moved : points;
}
