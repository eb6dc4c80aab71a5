/**
 * The resource cache of Zemtak for browsers: each texture of a 2D game is fetched once, shared by counted leases, and given back in
 * time; clips play, and many sprites become few draws. docs/web.md tells the story.
 */
import init, { Batch as Plain, ClipLease, Core, Lease, LeaseSet, Playing } from "./wasm.js";
import type { InitInput } from "./wasm.js";
import { WebGLDevice } from "./device.js";
import type { Device, Drawing, NewTexture } from "./device.js";

export { ClipLease, Lease, LeaseSet, Playing, WebGLDevice };
export type { Device, Drawing, NewTexture };

/** How a cache works. */
export interface Settings {
  /** Where descriptors and pages are: a URL, relative to the page. */
  base: string;
  /** Bytes of texture memory within which textures stay that nobody holds. 256 MiB by default. */
  budget?: number;
  /** A colour, 0xRRGGBBAA, drawn for what is not there yet. Nothing by default. */
  standIn?: number;
  /** Fetches a file in place of `fetch`: for archives of the game's own. */
  fetch?: (url: string) => Promise<Response>;
  /** Where the WebAssembly is, if not beside this module. */
  wasm?: InitInput | Promise<InitInput>;
}

/** Something that happened. `failed` and `keptOld` have the whole message, the others a name or path. */
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
  /** A colour that its pixels are multiplied with, 0xRRGGBBAA. */
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

/** A cache. `open` gives one; its `pump` is called once a frame. */
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

  /** Makes and drops textures, and has missing files fetched: once a frame. At most so many bytes are uploaded, 16 MiB by default. */
  pump(bytes: number = 1 << 24): { made: number; dropped: number; ready: number } {
    const [made = 0, dropped = 0, ready = 0] = this.#core.pump(0xffffffff, bytes);
    for (const path of this.#core.takeWanted()) void this.#fetch(path);
    this.#takeEvents();
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

  /** What happened since the last call, in order; of what nobody fetches the last 1,024. */
  events(): CacheEvent[] {
    return this.#events.splice(0);
  }

  /** Leases a sprite, as `night:moth/fly/03`, or a loose image by its path. `holder` is a name that the ledger tells. Never waits. */
  lease(name: string, holder?: string): Lease {
    return this.#core.lease(name, holder);
  }

  /** Leases names together, and globs within an atlas, as `night:lantern/**`. */
  leaseAll(names: string[], holder?: string): LeaseSet {
    return this.#core.leaseAll(names, holder);
  }

  /** Leases all sprites of a clip, as `night:moth/fly`. */
  leaseClip(name: string, holder?: string): ClipLease {
    return this.#core.leaseClip(name, holder);
  }

  /** Comes true when something can be drawn, while the game pumps. Fails where it cannot be had. */
  ready<Held extends Awaited>(on: Held): Promise<Held> {
    if (this.#closed) return Promise.reject(new Error("the cache was closed"));
    return new Promise((done, failed) => this.#waiting.push({ on, done: () => done(on), failed }));
  }

  /** The full names of an atlas's clips; undefined while its descriptor is not there. No page is loaded for it. */
  clips(atlas: string): string[] | undefined {
    return this.#core.clips(atlas);
  }

  /** Has a name of the game's own stand for another name from now on. */
  alias(alias: string, name: string): void {
    this.#core.alias(alias, name);
  }

  /** Fetches an atlas or image anew; a new version takes the place of the old one behind all leases at once. */
  reload(name: string): void {
    this.#core.reload(name);
  }

  /** Tries again what could not be had. */
  retryAll(): void {
    this.#core.retryAll();
  }

  /** Has the next pump drop all textures that nobody holds. */
  trim(): void {
    this.#core.trim();
  }

  /** Changes the budget, in bytes. */
  setBudget(bytes: number): void {
    this.#core.setBudget(bytes);
  }

  /** Whether nothing is under way. */
  get isIdle(): boolean {
    return this.#core.isIdle();
  }

  /** The account: what was asked for, loaded, reused and is held, by whom. Its keys are those of the ledger in Rust. */
  get ledger(): Record<string, unknown> {
    return JSON.parse(this.#core.ledger());
  }

  /** All textures are gone with their device, which is there again: they are made anew. */
  deviceLost(): void {
    this.#core.deviceLost();
  }

  /** Drops all textures. What is leased shows nothing from then on. */
  close(): void {
    this.#closed = true;
    for (const one of this.#waiting.splice(0)) one.failed(new Error("the cache was closed"));
    for (const picture of this.#pictures.values()) picture.close();
    this.#pictures.clear();
    this.#core.free();
  }
}

/** Many sprites as few draws; kept from frame to frame. */
export class Batch {
  #plain = new Plain();

  /** Takes all sprites out. */
  clear(): this {
    this.#plain.clear();
    return this;
  }

  /** What can be seen: sprites that are added after this and lie outside are left out. */
  setScreen(left: number, top: number, right: number, bottom: number): this {
    this.#plain.setScreen(left, top, right, bottom);
    return this;
  }

  #place({ x, y, scaleX = 1, scaleY = 1, degrees = 0, layer = 0, tint = 0xffffffff }: Placement): void {
    this.#plain.place(x, y, scaleX, scaleY, degrees, layer, tint);
  }

  /** Adds what a lease shows, or a clip that plays. What shows nothing yet is left out. */
  add(what: Lease | Playing, placement: Placement): this {
    this.#place(placement);
    if (what instanceof Playing) this.#plain.addPlaying(what);
    else this.#plain.addLease(what);
    return this;
  }

  /** Adds a sprite stretched to a size in canvas pixels: its bands keep theirs, the middle fills the rest, by whole copies where it is `tiled`. */
  addStretched(lease: Lease, width: number, height: number, tiled: boolean, placement: Placement): this {
    this.#place(placement);
    this.#plain.addStretched(lease, width, height, tiled);
    return this;
  }

  /** How many quads there are. */
  get quads(): number {
    return this.#plain.quads;
  }

  /** How many sprites were left out since they lie outside of the screen. */
  get culled(): number {
    return this.#plain.culled;
  }

  /**
   * Lays all sprites out: layers from the lowest; within a layer by texture, or, with `asAdded`, as they were added. What comes back is good
   * until something else is asked of this package: upload it at once, as `WebGLDevice.draw` does.
   */
  layOut(asAdded = false): Drawing {
    this.#plain.layOut(asAdded);
    const [at = 0, length = 0] = this.#plain.vertices();
    return { vertices: new Uint8Array(memory.buffer, at, length), draws: this.#plain.draws() };
  }

  /** Gives its memory back. */
  free(): void {
    this.#plain.free();
  }
}
