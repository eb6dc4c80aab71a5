// Smaller levels of a page, as a graphics card makes them: each pixel the mean of those that it covers, weighted by alpha.
// A level is half as large as the one before, rounded down; where a side is odd a pixel covers parts of its neighbours.
function levelOf(page, level) {
  const image = atlas.images[page];
  if (!image.complete || !image.naturalWidth) return null;
  if (!level) return image;
  const levels = atlas.levels[page] ||= [];
  while (levels.length < level) levels.push(half(levels.at(-1) || pixelsOf(image)));
  return levels[level - 1].canvas;
}

// Numbers are averaged as light, as sRGB textures are.
const lights = Float32Array.from({ length: 256 }, (_, n) => n / 255 <= .04045 ? n / 255 / 12.92 : ((n / 255 + .055) / 1.055) ** 2.4);
const byteOf = light => Math.round(255 * (light <= .0031308 ? light * 12.92 : 1.055 * light ** (1 / 2.4) - .055));

function pixelsOf(image) {
  const canvas = document.createElement('canvas');
  [canvas.width, canvas.height] = [image.naturalWidth, image.naturalHeight];
  const pen = canvas.getContext('2d', { willReadFrequently: true });
  pen.drawImage(image, 0, 0);
  const { data } = pen.getImageData(0, 0, canvas.width, canvas.height), colours = new Float32Array(data.length);
  for (let i = 0; i < data.length; i += 4) {
    const alpha = data[i + 3];
    for (let c = 0; c < 3; c++) colours[i + c] = lights[data[i + c]] * alpha;
    colours[i + 3] = alpha;
  }
  return { width: canvas.width, height: canvas.height, colours };
}

// Which pixels of a side each pixel of half of it covers, and by how much.
function cover(side) {
  const less = Math.max(1, side >> 1), each = side / less;
  return Array.from({ length: less }, (_, n) => {
    const [from, to] = [n * each, (n + 1) * each], parts = [];
    for (let i = Math.floor(from); i < Math.ceil(to - 1e-9); i++) parts.push([i, (Math.min(i + 1, to) - Math.max(i, from)) / each]);
    return parts;
  });
}

function half({ width, height, colours }) {
  const [columns, rows] = [cover(width), cover(height)], out = new Float32Array(columns.length * rows.length * 4);
  rows.forEach((row, y) => columns.forEach((column, x) => {
    const to = (y * columns.length + x) * 4;
    for (const [j, down] of row) for (const [i, across] of column)
      for (let c = 0; c < 4; c++) out[to + c] += colours[(j * width + i) * 4 + c] * down * across;
  }));
  return withCanvas({ width: columns.length, height: rows.length, colours: out });
}

function withCanvas(level) {
  const canvas = document.createElement('canvas');
  [canvas.width, canvas.height] = [level.width, level.height];
  const data = new ImageData(level.width, level.height), of = level.colours;
  for (let i = 0; i < of.length; i += 4) {
    for (let c = 0; c < 3; c++) data.data[i + c] = of[i + 3] ? byteOf(of[i + c] / of[i + 3]) : 0;
    data.data[i + 3] = Math.round(of[i + 3]);
  }
  canvas.getContext('2d').putImageData(data, 0, 0);
  return { ...level, canvas };
}

function offerLevels() {
  const deepest = Math.max(...atlas.pages.map(page => Math.floor(Math.log2(Math.max(page.width, page.height)))));
  $('level').replaceChildren(...Array.from({ length: deepest + 1 }, (_, n) => make('option', n ? `1/${2 ** n}` : 'full', { value: n })));
  $('level').value = state.level = Math.min(state.level, deepest);
}
$('level').onchange = e => { state.level = +e.target.value; redraw(); say(state.level ? `mip level ${state.level}` : 'full size'); };
