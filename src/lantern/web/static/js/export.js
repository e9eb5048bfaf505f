// A chart as SVG or PNG, and its data as CSV: a small menu beside the chart.

const KEPT = [
  "fill",
  "stroke",
  "stroke-width",
  "stroke-dasharray",
  "stroke-linejoin",
  "opacity",
  "fill-opacity",
  "font",
  "font-family",
  "font-size",
  "font-weight",
  "text-anchor",
  "visibility",
  "display",
];

export function saveText(text, type, name) {
  download(name, new Blob([text], { type }));
}

function download(name, blob) {
  const link = document.createElement("a");
  link.href = URL.createObjectURL(blob);
  link.download = name;
  link.click();
  setTimeout(() => URL.revokeObjectURL(link.href), 10_000);
}

// The drawing with its styles written into it, so that it looks the same without this page's sheet.
function alone(svg) {
  const copy = svg.cloneNode(true);
  const styled = [svg, ...svg.querySelectorAll("*")];
  [copy, ...copy.querySelectorAll("*")].forEach((node, index) => {
    const style = getComputedStyle(styled[index]);
    for (const name of KEPT) if (style.getPropertyValue(name)) node.setAttribute(name, style.getPropertyValue(name));
    for (const { name } of [...node.attributes])
      if (name === "class" || /^([@:]|x-)/.test(name)) node.removeAttribute(name); // no XML takes the page's own words
  });
  const patterns = document.querySelector("body > svg defs")?.cloneNode(true);
  if (patterns) {
    const originals = document.querySelectorAll("body > svg defs *");
    patterns.querySelectorAll("*").forEach((node, index) => {
      for (const name of ["fill", "stroke", "stroke-width"])
        node.setAttribute(name, getComputedStyle(originals[index])[name === "stroke-width" ? "strokeWidth" : name]);
    });
    copy.prepend(patterns);
  }
  const [, , w, h] = (svg.getAttribute("viewBox") ?? `0 0 ${svg.clientWidth} ${svg.clientHeight}`)
    .split(" ")
    .map(Number);
  copy.setAttribute("xmlns", "http://www.w3.org/2000/svg");
  copy.setAttribute("width", w);
  copy.setAttribute("height", h);
  return { text: new XMLSerializer().serializeToString(copy), w, h };
}

export function saveSvg(svg, name) {
  download(`${name}.svg`, new Blob([alone(svg).text], { type: "image/svg+xml" }));
}

export async function savePng(svg, name) {
  const { text, w, h } = alone(svg);
  const image = new Image();
  await new Promise((done, failed) => {
    image.onload = done;
    image.onerror = () => failed(new Error(`${name} cannot be drawn as a picture`));
    image.src = `data:image/svg+xml;charset=utf-8,${encodeURIComponent(text)}`;
  });
  const canvas = document.createElement("canvas");
  [canvas.width, canvas.height] = [w * 2, h * 2];
  const context = canvas.getContext("2d");
  context.fillStyle = getComputedStyle(document.body).backgroundColor;
  context.fillRect(0, 0, canvas.width, canvas.height);
  context.drawImage(image, 0, 0, canvas.width, canvas.height);
  saveCanvas(canvas, name);
}

export const saveCanvas = (canvas, name) => canvas.toBlob((blob) => download(`${name}.png`, blob), "image/png");

// A spreadsheet takes a text that begins so for a formula, unless an apostrophe stands before it; a number is a number.
const guarded = (text) => (/^'*[=+\-@]/.test(text) && Number.isNaN(Number(text)) ? `'${text}` : text);

function cell(value) {
  const text = guarded(String(value ?? ""));
  return /[",\n\r]/.test(text) ? `"${text.replace(/"/g, '""')}"` : text;
}

export const csvText = (rows) => rows.map((row) => row.map(cell).join(",")).join("\n") + "\n";

export function saveCsv(rows, name) {
  download(`${name}.csv`, new Blob([csvText(rows)], { type: "text/csv" }));
}
