// Tracks as they come from the server, and the few points that a drawn way needs.

// The points between which straight lines stay within `slight` of all of them (Douglas and Peucker 1973).
export function thinned(points, slight) {
  const keep = [points[0]];
  const part = (first, last) => {
    const [[ax, ay], [bx, by]] = [points[first], points[last]];
    const [dx, dy] = [bx - ax, by - ay];
    const length = Math.hypot(dx, dy) || 1;
    let [most, at] = [slight, -1];
    for (let k = first + 1; k < last; k++) {
      const away = Math.abs(dx * (points[k][1] - ay) - dy * (points[k][0] - ax)) / length;
      if (away > most) [most, at] = [away, k];
    }
    if (at >= 0) {
      part(first, at);
      part(at, last);
    } else keep.push(points[last]);
  };
  if (points.length > 1) part(0, points.length - 1);
  return keep;
}

export async function fetchTracks(url) {
  const answer = await fetch(url);
  if (!answer.ok) throw new Error(`tracks: ${answer.status}`);
  const data = await answer.arrayBuffer();
  const length = new DataView(data).getUint32(0, true);
  const header = JSON.parse(new TextDecoder().decode(new Uint8Array(data, 4, length)));
  let at = 4 + length;
  const out = { ...header };
  for (const [name, type, columns] of header.arrays) {
    const count = header.samples * columns;
    if (type === "f4") {
      out[name] = new Float32Array(data, at, count);
      at += 4 * count;
    } else {
      out[name] = new Int8Array(data, at, count);
      at += Math.ceil(count / 4) * 4;
    }
  }
  return out;
}
