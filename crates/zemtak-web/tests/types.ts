// A game's use of all that the package has, for the compiler alone: what it takes and gives stays what docs/web.md says.
import { Batch, Cache, ClipLease, Lease, LeaseSet, Playing, WebGLDevice } from "zemtak-web";
import type { CacheEvent, Device, Drawing, NewTexture, Placement, Settings } from "zemtak-web";

class Counting implements Device {
  readonly largestSide = 4096;
  #made = 0;
  make(texture: NewTexture): number {
    if (!texture.picture && !texture.levels) throw new Error(`${texture.path} has no pixels`);
    return ++this.#made;
  }
  drop(_texture: number): void {}
}

export async function play(gl: WebGL2RenderingContext): Promise<void> {
  const settings: Settings = { base: "build", budget: 64 << 20, standIn: 0xff00ffff, fetch: (url) => fetch(url) };
  const device = new WebGLDevice(gl);
  const cache: Cache = await Cache.open(device, settings);
  const other: Cache = await Cache.open(new Counting(), { base: "build" });
  other.close();
  const moth: Lease = cache.lease("night:moth/fly/03", "meadow");
  const set: LeaseSet = await cache.ready(cache.leaseAll(["night:lantern/**"]));
  const clip: ClipLease = cache.leaseClip("night:moth/fly");
  const flying: Playing = clip.play(120);
  flying.setSpeed(-1, 2);
  flying.seek(0);
  flying.goOverTo(clip);
  const place: Placement = { x: 1, y: 2, scaleX: -1, degrees: 90, layer: 1, tint: 0xffffffff };
  const batch = new Batch().setScreen(0, 0, 640, 360).clear().add(moth, place).add(flying, { x: 0, y: 0 });
  const drawing: Drawing = batch.addStretched(moth, 90, 30, true, place).layOut();
  device.draw(drawing, 640, 360);
  const point: Float64Array | undefined = moth.point("lamp");
  const layer: number | undefined = moth.layer("normal");
  const part: Lease | undefined = moth.part(0, 0, 8, 8);
  const view: Float64Array | undefined = moth.view();
  const events: CacheEvent[] = cache.events();
  const names: string[] | undefined = cache.clips("night");
  const { made, dropped, ready } = cache.pump(1 << 20);
  console.log(point, layer, view, events, names, made + dropped + ready, set.names(), set.progress(), clip.steps, clip.milliseconds);
  console.log(flying.step, flying.played, flying.ended, flying.events, moth.tags(), moth.user(), moth.failure, batch.quads, batch.culled);
  // @ts-expect-error: a name is a text
  cache.lease(3);
  for (const held of [part, moth, set, clip, flying]) held?.free();
  device.restored();
  cache.deviceLost();
}
