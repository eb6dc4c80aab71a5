/**
 * The resource cache of Zemtak for browsers: it fetches each texture of a 2D game once, shares it by counted leases, frees it in time,
 * plays clips, and batches sprites into few draws. docs/web.md is the guide.
 */
import init, { Batch as Plain, ClipLease, Core, Lease, LeaseSet, Playing } from "./wasm.js";
import type { InitInput } from "./wasm.js";
import { WebGLDevice } from "./device.js";
import type { Device, Drawing, NewTexture } from "./device.js";

export { ClipLease, Lease, LeaseSet, Playing, WebGLDevice };
export type { Device, Drawing, NewTexture };

/** Settings of a cache. */
export interface Settings {
  /** Where descriptors and pages are: a URL, relative to the page. */
  base: string;
  /** Bytes of texture memory; within it, textures that nobody holds stay resident. Default: 256 MiB. */
  budget?: number;
  /** A colour, 0xRRGGBBAA, drawn for what is not loaded yet. Default: nothing. */
  standIn?: number;
  /** Replaces `fetch`: for archives of your own. */
  fetch?: (url: string) => Promise<Response>;
  /** The location of the WebAssembly, if not beside this module. */
  wasm?: InitInput | Promise<InitInput>;
}

/** An event. `failed` and `keptOld` have the whole message, the others a name or path. */
export interface CacheEvent {
  kind: "opened" | "loaded" | "failed" | "replaced" | "repainted" | "keptOld" | "evicted" | "cancelled" | "overBudget" | "other";
  text: string;
}

/** What can be waited for. */
export type Awaited = Lease | LeaseSet | ClipLease;

/** Where and how a sprite is drawn: its pivot at (x, y); a negative scale mirrors; degrees clockwise. */
export interface Placement {
  x: number;
  y: number;
  scaleX?: number;
  scaleY?: number;
  degrees?: number;
  /** Lower layers are drawn first. */
  layer?: number;
  /** A colour that multiplies its pixels, 0xRRGGBBAA. */
  tint?: number;
}

interface Waiting {
  on: Awaited;
  done: () => void;
  failed: (why: Error) => void;
}

const PICTURE = /\.(png|webp|jpe?g|gif|bmp|avif)$/i;
const LOADING = 0, READY = 1;
let memory: WebAssembly.Memory;

/** A cache. Get one from `open`, and call its `pump` once a frame. */
export class Cache {
  #core: Core;
  #settings: Settings;
  #pictures: Map<string, ImageBitmap>;
  #waiting: Waiting[] = [];
  #events: CacheEvent[] = [];
  #closed = false;

  /** Opens a cache whose textures a device makes. */
  static async open(device: Device, settings: Settings): Promise<Cache> {
    // The module is the same for all caches.
    memory ??= (await (settings.wasm === undefined ? init() : init({ module_or_path: settings.wasm }))).memory;
    return new Cache(device, settings);
  }

  private constructor(device: Device, settings: Settings) {
    const pictures = new Map<string, ImageBitmap>();
    const base = settings.base.endsWith("/") ? settings.base : `${settings.base}/`;
    this.#pictures = pictures;
    this.#settings = { ...settings, base };
    const sink = {
      largestSide: device.largestSide,
      makeTexture(
        path: string, layer: string | undefined, width: number, height: number, mips: number, levels: Uint8Array[] | undefined,
        linearFilter: boolean, wrap: number, premultiplied: boolean, linearColour: boolean,
      ): number {
        const picture = pictures.get(path);
        pictures.delete(path);
        const wraps = ["clamp", "repeat", "mirror"] as const;
        try {
          return device.make({
            path, layer, width, height, mips, levels, picture, linearFilter, wrap: wraps[wrap] ?? "clamp", premultiplied, linearColour,
          });
        } finally {
          picture?.close();
        }
      },
      dropTexture: (texture: number) => device.drop(texture),
    };
    this.#core = new Core(sink as never, base, settings.budget ?? 0, settings.standIn ?? 0);
  }

  /** Makes and drops textures, and fetches missing files: call it once a frame. Uploads at most this many bytes; default: 16 MiB. */
  pump(bytes: number = 1 << 24): { made: number; dropped: number; ready: number } {
    const [made = 0, dropped = 0, ready = 0] = this.#core.pump(0xffffffff, bytes);
    for (const path of this.#core.takeWanted()) void this.#fetch(path);
    this.#takeEvents();
    if (this.#core.forgetUnwanted()) this.#releasePictures();
    this.#waiting = this.#waiting.filter((one) => this.#stillWaits(one));
    return { made, dropped, ready };
  }

  #stillWaits({ on, done, failed }: Waiting): boolean {
    try {
      const status = on.status;
      if (status === READY) done();
      else if (status !== LOADING) failed(new Error(on.failure));
      return status === LOADING;
    } catch {
      failed(new Error("it was given back before it was ready"));
      return false;
    }
  }

  async #fetch(path: string): Promise<void> {
    const core = this.#core;
    const url = this.#settings.base + path.split("/").map(encodeURIComponent).join("/");
    try {
      const answer = await (this.#settings.fetch ?? fetch)(url);
      if (this.#closed) return;
      if (answer.status === 404 || answer.status === 410) return core.putMissing(path);
      if (!answer.ok) return core.putBroken(path, `the server says ${answer.status} ${answer.statusText}`);
      if (!PICTURE.test(path)) return core.putBytes(path, new Uint8Array(await answer.arrayBuffer()));
      const blob = await answer.blob();
      const picture = await createImageBitmap(blob, { premultiplyAlpha: "none", colorSpaceConversion: "none" });
      if (this.#closed) return picture.close();
      this.#pictures.get(path)?.close();
      this.#pictures.set(path, picture);
      core.putPicture(path, picture.width, picture.height);
    } catch (why) {
      if (!this.#closed) core.putBroken(path, why instanceof Error ? why.message : `${why}`);
    }
  }

  #releasePictures(): void {
    for (const picture of this.#pictures.values()) picture.close();
    this.#pictures.clear();
  }

  #takeEvents(): void {
    const told = this.#core.events();
    for (let i = 0; i < told.length; i += 2) {
      const event = { kind: told[i], text: told[i + 1] } as CacheEvent;
      if (event.kind === "cancelled") {
        this.#pictures.get(event.text)?.close();
        this.#pictures.delete(event.text);
        this.#core.forget(event.text);
      }
      this.#events.push(event);
    }
    if (this.#events.length > 1024) this.#events.splice(0, this.#events.length - 1024);
  }

  /** The events since the last call, in order; without calls, the last 1,024 are kept. */
  events(): CacheEvent[] {
    return this.#events.splice(0);
  }

  /** Leases a sprite, such as `night:moth/fly/03`, or a loose image by its path. `holder` is a name for the ledger. Never waits. */
  lease(name: string, holder?: string): Lease {
    return this.#core.lease(name, holder);
  }

  /** Leases names together, and globs within an atlas, such as `night:lantern/**`. */
  leaseAll(names: string[], holder?: string): LeaseSet {
    return this.#core.leaseAll(names, holder);
  }

  /** Leases all sprites of a clip, such as `night:moth/fly`. */
  leaseClip(name: string, holder?: string): ClipLease {
    return this.#core.leaseClip(name, holder);
  }

  /** Resolves when it can be drawn, while the game pumps. Rejects if it cannot be loaded. */
  ready<Held extends Awaited>(on: Held): Promise<Held> {
    if (this.#closed) return Promise.reject(new Error("the cache was closed"));
    return new Promise((done, failed) => this.#waiting.push({ on, done: () => done(on), failed }));
  }

  /** The full names of an atlas's clips; undefined until its descriptor is loaded. Loads no page. */
  clips(atlas: string): string[] | undefined {
    return this.#core.clips(atlas);
  }

  /** Makes a name of the game's own stand for another name from now on. */
  alias(alias: string, name: string): void {
    this.#core.alias(alias, name);
  }

  /** Fetches an atlas or image again; a new version replaces the old one behind all leases at once. */
  reload(name: string): void {
    this.#core.reload(name);
  }

  /** Tries again to load what could not be loaded. */
  retryAll(): void {
    this.#core.retryAll();
  }

  /** Makes the next pump drop all textures that nobody holds. */
  trim(): void {
    this.#core.trim();
  }

  /** Changes the budget, in bytes. */
  setBudget(bytes: number): void {
    this.#core.setBudget(bytes);
  }

  /** Whether nothing is in progress. */
  get isIdle(): boolean {
    return this.#core.isIdle();
  }

  /** The account: what was asked for, loaded, reused and is held, by whom. Its keys are those of the ledger in Rust. */
  get ledger(): Record<string, unknown> {
    return JSON.parse(this.#core.ledger());
  }

  /** Call this when a lost device is back: makes all textures again. */
  deviceLost(): void {
    this.#core.deviceLost();
  }

  /** Drops all textures. From then on, leases show nothing. */
  close(): void {
    this.#closed = true;
    for (const one of this.#waiting.splice(0)) one.failed(new Error("the cache was closed"));
    this.#releasePictures();
    this.#core.free();
  }
}

/** Many sprites in few draws. Keep it from frame to frame. */
export class Batch {
  #plain = new Plain();

  /** Removes all sprites. */
  clear(): this {
    this.#plain.clear();
    return this;
  }

  /** The visible area: sprites that are added afterwards and lie outside it are left out. */
  setScreen(left: number, top: number, right: number, bottom: number): this {
    this.#plain.setScreen(left, top, right, bottom);
    return this;
  }

  #place({ x, y, scaleX = 1, scaleY = 1, degrees = 0, layer = 0, tint = 0xffffffff }: Placement): void {
    this.#plain.place(x, y, scaleX, scaleY, degrees, layer, tint);
  }

  /** Adds what a lease or a playing clip shows. If it shows nothing yet, it is left out. */
  add(what: Lease | Playing, placement: Placement): this {
    this.#place(placement);
    if (what instanceof Playing) this.#plain.addPlaying(what);
    else this.#plain.addLease(what);
    return this;
  }

  /** Adds a sprite stretched to a size in canvas pixels: its bands keep their size, and the middle is stretched, or repeated in whole copies if `tiled`. */
  addStretched(lease: Lease, width: number, height: number, tiled: boolean, placement: Placement): this {
    this.#place(placement);
    this.#plain.addStretched(lease, width, height, tiled);
    return this;
  }

  /** How many quads there are. */
  get quads(): number {
    return this.#plain.quads;
  }

  /** How many sprites were left out because they lie outside the screen. */
  get culled(): number {
    return this.#plain.culled;
  }

  /**
   * Lays out all sprites: lowest layer first; within a layer by texture or, with `asAdded`, in the order they were added. The result is
   * valid until the next call to this package: upload it at once, as `WebGLDevice.draw` does.
   */
  layOut(asAdded = false): Drawing {
    this.#plain.layOut(asAdded);
    const [at = 0, length = 0] = this.#plain.vertices();
    return { vertices: new Uint8Array(memory.buffer, at, length), draws: this.#plain.draws() };
  }

  /** Frees its memory. */
  free(): void {
    this.#plain.free();
  }
}
