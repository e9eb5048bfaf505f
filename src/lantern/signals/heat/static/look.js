// A first look at thermal pictures: one of them, from its least to its greatest value.

export function look(drawn) {
  const [height, width] = [drawn.raw.length, drawn.raw[0].length];
  const canvas = Object.assign(document.createElement("canvas"), { width, height, role: "img" });
  canvas.setAttribute("aria-label", "A frame of it");
  const context = canvas.getContext("2d");
  const image = context.createImageData(width, height);
  drawn.raw.flat().forEach((raw, i) => {
    const grey = (255 * (raw - drawn.low)) / (drawn.high - drawn.low || 1);
    image.data.set([grey, grey, grey, 255], 4 * i);
  });
  context.putImageData(image, 0, 0);
  return canvas;
}
