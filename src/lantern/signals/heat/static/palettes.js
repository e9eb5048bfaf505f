// Perceptually uniform maps that people with colour vision deficiencies can read, and grey. Anchors of the published
// maps.
const ANCHORS = {
  ember: ["#000004", "#1b0c41", "#4a0c6b", "#781c6d", "#a52c60", "#cf4446", "#ed6925", "#fb9b06", "#f7d13d", "#fcffa4"],
  lagoon: [
    "#440154",
    "#482878",
    "#3e4989",
    "#31688e",
    "#26828e",
    "#1f9e89",
    "#35b779",
    "#6ece58",
    "#b5de2b",
    "#fde725",
  ],
  dune: ["#00224e", "#123570", "#3b496c", "#575d6d", "#707173", "#8a8678", "#a59c74", "#c3b369", "#e1cc55", "#fee838"],
  grey: ["#000000", "#ffffff"],
};
export const PALETTES = Object.keys(ANCHORS);
ANCHORS.change = ["#053061", "#2b73b3", "#7fb6d6", "#d5e6ef", "#f7f3ea", "#fbdcc3", "#f0a172", "#cf5f3d", "#67001f"];
// colder and warmer, readable without red and green

const channels = (hex) => [1, 3, 5].map((at) => parseInt(hex.slice(at, at + 2), 16));

// 256 colours as packed little-endian RGBA.
export function colours(name) {
  const anchors = ANCHORS[name].map(channels);
  const out = new Uint32Array(256);
  for (let i = 0; i < 256; i++) {
    const at = (i / 255) * (anchors.length - 1);
    const low = Math.min(Math.floor(at), anchors.length - 2);
    const [r, g, b] = [0, 1, 2].map((c) =>
      Math.round(anchors[low][c] + (anchors[low + 1][c] - anchors[low][c]) * (at - low)),
    );
    out[i] = (255 << 24) | (b << 16) | (g << 8) | r;
  }
  return out;
}

export const cssColours = (name) => ANCHORS[name];
