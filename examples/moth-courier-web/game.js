// Moth Courier in a browser: a moth flies over a pond among lanterns, drawn through the cache of zemtak-web.
// index.html?frames=100 draws so many frames at once and stops, for a test.
import { Batch, Cache, WebGLDevice } from "zemtak-web";

const canvas = document.querySelector("canvas");
const { width, height } = canvas;
const frames = Number(new URLSearchParams(location.search).get("frames") ?? Infinity);
const gl = canvas.getContext("webgl2", { antialias: false, preserveDrawingBuffer: Number.isFinite(frames) });
const device = new WebGLDevice(gl);
const cache = await Cache.open(device, { base: "build" });
const batch = new Batch().setScreen(0, 0, width, height);

/** What lies still: leases with their places. */
function still() {
  const lease = (name) => cache.lease(`scene:${name}`, "night");
  const moon = lease("moon/phase/00");
  const half = moon.part(10, 0, 30, 72); // an old moon, behind the edge of the sky
  moon.free(); // the part holds its page
  const tiles = Array.from({ length: 10 }, (_, i) => [lease("tile/water"), { x: 32 + 64 * i, y: 328 }]);
  return [
    ...tiles,
    [lease("moon/phase/04"), { x: 556, y: 60 }],
    [lease("star/large"), { x: 40, y: 30 }],
    [lease("star/small"), { x: 150, y: 52 }],
    [lease("star/large"), { x: 270, y: 90, scaleX: 3, scaleY: 3 }],
    [lease("letter/sealed"), { x: 320, y: 190, scaleY: -1 }], // it falls, upside down
    [lease("letterbox/open/00"), { x: 590, y: 262 }],
    [half, { x: 330, y: 96 }],
  ];
}

/** What moves: clips that play, with their places in a frame. */
function moving() {
  const play = (name) => cache.leaseClip(`scene:${name}`, "night").play();
  return [
    [play("reed/sway"), () => ({ x: 100, y: 262 })],
    [play("reed/sway"), () => ({ x: 470, y: 268, scaleX: -1 })],
    [play("lantern/amber"), () => ({ x: 200, y: 0 })],
    [play("lantern/rose"), () => ({ x: 420, y: 20 })],
    [play("moth/fly"), (frame) => ({ x: ((frame * 2) % (width + 64)) - 32, y: 230 })],
    [play("moth/fly"), (frame) => ({ x: width - (frame % (width + 64)) + 32, y: 170, scaleX: -1 })],
  ];
}

/** Draws a frame that lies so many milliseconds after the one before. */
function draw(frame, milliseconds) {
  cache.pump();
  batch.clear();
  for (const [lease, place] of things) batch.add(lease, place);
  for (const [playing, place] of clips) {
    playing.advance(milliseconds);
    batch.add(playing, place(frame));
  }
  gl.viewport(0, 0, width, height);
  gl.clearColor(18 / 255, 20 / 255, 46 / 255, 1);
  gl.clear(gl.COLOR_BUFFER_BIT);
  device.draw(batch.layOut(true), width, height);
}

/** Pumps until something can be drawn: a loading screen would show `progress()` meanwhile. */
async function loaded(what) {
  const pumping = setInterval(() => cache.pump(), 4);
  try {
    return await cache.ready(what);
  } finally {
    clearInterval(pumping);
  }
}

canvas.addEventListener("webglcontextlost", (event) => event.preventDefault());
canvas.addEventListener("webglcontextrestored", () => {
  device.restored();
  cache.deviceLost();
});

let things, clips;
try {
  await loaded(cache.leaseAll(["scene:**"], "night"));
  [things, clips] = [still(), moving()];
} catch (why) {
  document.querySelector("#why").textContent = why.message;
  document.querySelector("#why").hidden = false;
  throw why;
}

if (Number.isFinite(frames)) {
  for (let frame = 0; frame <= frames; frame++) draw(frame, frame === 0 ? 0 : 1000 / 60);
  window.drawn = { frames, cache };
} else {
  let [frame, before] = [0, performance.now()];
  requestAnimationFrame(function next(now) {
    draw(frame++, now - before);
    before = now;
    requestAnimationFrame(next);
  });
}
