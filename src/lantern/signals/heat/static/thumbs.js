// Small heat pictures: each scaled to its own frame, with the scale written beneath.
import { fetchFrame } from "./view.js";
import { colours } from "./palettes.js";
import { fixed, pageLevel, show } from "/static/js/units.js";

async function paint(canvas) {
  const { take, at, shown } = canvas.dataset;
  const { scale, offsetC } = JSON.parse(shown);
  const pixels = await fetchFrame(`${take}/frames/${at}`);
  let low = Infinity;
  let high = -Infinity;
  for (const raw of pixels) {
    if (raw < low) low = raw;
    if (raw > high) high = raw;
  }
  const map = colours("ember");
  const context = canvas.getContext("2d");
  const image = context.createImageData(canvas.width, canvas.height);
  const words = new Uint32Array(image.data.buffer);
  for (let i = 0; i < pixels.length; i++) words[i] = map[Math.round(((pixels[i] - low) / (high - low || 1)) * 255)];
  context.putImageData(image, 0, 0);
  const caption = canvas.parentElement.querySelector("figcaption");
  const level = pageLevel();
  const celsius = (raw) => raw * scale + offsetC;
  if (caption) caption.textContent = `${show(level, celsius(low)).toFixed(0)} to ${fixed(level, celsius(high), 0)}`;
}

document
  .querySelectorAll('canvas[data-thumb="heat"]')
  .forEach((canvas) => paint(canvas).catch(() => canvas.closest("figure").remove()));
