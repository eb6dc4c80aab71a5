// SPDX-License-Identifier: 0BSD
/**
 * Reads Zemtak atlases, tells where sprites are and how to draw them, and plays clips. An ES module without dependencies.
 *
 * Reader version 1, for descriptors of version 1. Add this file to your game, and change it as you like. Your game loads the pictures
 * itself: `atlas.pages` names the files.
 *
 * ```ts
 * import { Player, quadOf, read } from "./zemtak-reader.js";
 *
 * const atlas = read(await (await fetch("night.zemtak.json")).text());
 * const moth = atlas.sprites.get("moth/fly/03")!;
 * const quad = quadOf(moth, { x: 120, y: 64, scaleX: 2, scaleY: 2 }); // positions, texture coordinates, indices
 *
 * const player = new Player(atlas.clips.get("moth/fly")!);
 * player.advance(16_666_667); // nanoseconds
 * for (let step = player.next(); step; step = player.next()) step.events.forEach(playSound); // every step that began
 * show(atlas.sprites.get(player.step.sprite)!);
 * ```
 *
 * Pixels have their origin at the top left, y down. Corners come in the order top left, top right, bottom right, bottom left of
 * the upright sprite, whether it is stored turned or not.
 */
export const VERSION = 1;
const LONGEST_SIDE = 1 << 20;
/** Nanoseconds are counted exactly up to here: 52 days. */
const LONGEST = 2 ** 52;
/** What is wrong with a descriptor, and where: `sprites["moth/fly/03"].box: …`. */
export class ReadError extends Error {
    constructor(place, why) {
        super(`${place || "the descriptor"}: ${why}`);
        this.name = "ReadError";
        this.place = place;
    }
}
/** Width and height of the upright box. */
export function upright(sprite) {
    const [, , w, h] = sprite.box;
    return sprite.turned ? [h, w] : [w, h];
}
/** The texture coordinates of the corners: u and v of each. */
export function uvsOf(sprite, how = {}) {
    const [x, y, w, h] = sprite.box;
    const [pageW, pageH] = sprite.pageSize;
    const [dx, dy] = [Math.min(how.shrink ?? 0, w / 2), Math.min(how.shrink ?? 0, h / 2)];
    let [top, bottom] = [y + dy, y + h - dy];
    if (how.vUp)
        [top, bottom] = [pageH - top, pageH - bottom];
    const [u0, v0, u1, v1] = [(x + dx) / pageW, top / pageH, (x + w - dx) / pageW, bottom / pageH];
    // The upright top left of a turned sprite is the stored top right, and so on round.
    const corners = sprite.turned ? [u1, v0, u1, v1, u0, v1, u0, v0] : [u0, v0, u1, v0, u1, v1, u0, v1];
    const uvs = [];
    for (let corner = 0; corner < 4; corner++) {
        const from = (how.flipY ? 3 - corner : corner) ^ (how.flipX ? 1 : 0);
        uvs.push(corners[2 * from], corners[2 * from + 1]);
    }
    return uvs;
}
/**
 * A part of a sprite, in canvas pixels. It keeps the canvas and the pivot, so that it is drawn at its place on the whole. Whatever
 * lies outside the canvas or was trimmed is cut off; null if nothing is left.
 */
export function partOf(sprite, x, y, width, height) {
    const [uprightW, uprightH] = upright(sprite);
    const [insetX, insetY] = sprite.inset;
    const [left, top] = [Math.max(x, insetX), Math.max(y, insetY)];
    const [right, bottom] = [Math.min(x + width, insetX + uprightW), Math.min(y + height, insetY + uprightH)];
    if (left >= right || top >= bottom)
        return null;
    const [i, j, w, h] = [left - insetX, top - insetY, right - left, bottom - top];
    const [storedX, storedY] = sprite.box;
    // Pixel (i, j) of the upright box lies at (h - 1 - j, i) of a turned one.
    const box = sprite.turned ? [storedX + uprightH - j - h, storedY + i, h, w] : [storedX + i, storedY + j, w, h];
    return { ...sprite, box, inset: [left, top] };
}
/** The quad that draws a sprite or a part of one. */
export function quadOf(sprite, at) {
    const [left, top] = sprite.inset;
    const [w, h] = upright(sprite);
    return quadOver(sprite, [left, top, left + w, top + h], sprite.pivot, at);
}
function quadOver(sprite, [left, top, right, bottom], [pivotX, pivotY], at) {
    const [sin, cos] = sinCos(at.degrees ?? 0);
    const [scaleX, scaleY] = [at.scaleX ?? 1, at.scaleY ?? 1];
    const positions = [];
    for (const [x, y] of [[left, top], [right, top], [right, bottom], [left, bottom]]) {
        const [dx, dy] = [scaleX * (x - pivotX), (at.yUp ? -scaleY : scaleY) * (y - pivotY)];
        positions.push(at.x + (cos * dx - sin * dy), at.y + (sin * dx + cos * dy));
    }
    const mirrored = scaleX < 0 !== scaleY < 0;
    return { positions, uvs: uvsOf(sprite, { vUp: at.vUp, shrink: at.shrink }), indices: mirrored ? [0, 3, 2, 0, 2, 1] : [0, 1, 2, 0, 2, 3] };
}
/** Exact for quarter turns. */
function sinCos(degrees) {
    const turn = degrees % 360;
    const quarter = [0, 90, 180, 270].indexOf(turn < 0 ? turn + 360 : turn + 0);
    const exact = [0, 1, 0, -1, 0];
    return quarter < 0 ? [Math.sin((turn * Math.PI) / 180), Math.cos((turn * Math.PI) / 180)] : [exact[quarter], exact[quarter + 1 & 3]];
}
/**
 * Quads that draw a sprite `width` by `height` canvas pixels in size: the bands of `stretch` keep their size, and the middle is
 * stretched, or repeated if `tiled`. Without bands, all of it is the middle.
 */
export function stretched(sprite, width, height, at, tiled = false) {
    const [left, top, right, bottom] = sprite.stretch ?? [0, 0, 0, 0];
    const columns = new Bands(sprite.canvas[0], left, right, width, tiled);
    const rows = new Bands(sprite.canvas[1], top, bottom, height, tiled);
    const pivot = [columns.place(sprite.pivot[0]), rows.place(sprite.pivot[1])];
    const quads = [];
    for (const row of rows.pieces()) {
        for (const column of columns.pieces()) {
            const part = partOf(sprite, column.start, row.start, column.length, row.length);
            if (!part)
                continue;
            const [[x, y], [w, h]] = [part.inset, upright(part)];
            quads.push(quadOver(part, [column.at(x), row.at(y), column.at(x + w), row.at(y + h)], pivot, at));
        }
    }
    return quads;
}
/** A piece of a band: what it shows of the canvas's side, and from where to where it is drawn. */
class Piece {
    constructor(start, length, from, to) {
        this.start = start;
        this.length = length;
        this.from = from;
        this.to = to;
    }
    at(place) {
        return this.from + ((this.to - this.from) * (place - this.start)) / this.length;
    }
}
/** One side of a stretched sprite: its bands on the canvas, and where they are drawn. */
class Bands {
    constructor(length, first, last, to, tiled) {
        const [both, between] = [first + last, length - first - last];
        // Bands that do not fit side by side shrink in proportion.
        const size = both > to ? to / both : 1;
        this.source = [0, first, length - last, length];
        this.to = [0, first * size, to - last * size, to];
        const copies = tiled && between > 0 ? Math.floor((this.to[2] - this.to[1]) / between + 0.5) : 1;
        this.copies = Math.min(Math.max(copies, 1), 1024);
    }
    pieces() {
        const pieces = [];
        for (let band = 0; band < 3; band++) {
            const [start, from, to] = [this.source[band], this.to[band], this.to[band + 1]];
            const copies = band === 1 ? this.copies : 1;
            for (let n = 0; n < copies; n++) {
                const [a, b] = [from + ((to - from) * n) / copies, from + ((to - from) * (n + 1)) / copies];
                pieces.push(new Piece(start, this.source[band + 1] - start, a, b));
            }
        }
        return pieces.filter((piece) => piece.length > 0 && piece.to > piece.from);
    }
    place(at) {
        const band = at < this.source[1] ? 0 : at > this.source[2] ? 2 : 1;
        const [start, length] = [this.source[band], this.source[band + 1] - this.source[band]];
        const from = this.to[band];
        return length === 0 ? from + (at - start) : from + ((at - start) * (this.to[band + 1] - from)) / length;
    }
}
/** A clip. Times are whole nanoseconds and counted exactly, at any rate, up to 52 days. */
export class Clip {
    /** Made by `read`. A frame takes `below / above` seconds; `own` are durations in nanoseconds. */
    constructor(name, mode, steps, own, above, below) {
        this.name = name;
        this.mode = mode;
        this.steps = steps;
        this.above = above;
        this.starts = [{ ns: 0, rest: 0 }];
        this.still = false;
        const frame = { ns: 0, rest: below };
        if (above === 0)
            this.above = 1;
        // below * 10^9 / above, in steps of a thousand: each product is a whole number below 2^53.
        const whole = Math.floor(below / this.above);
        [frame.ns, frame.rest] = [whole, below - whole * this.above];
        for (let k = 0; k < 3; k++) {
            const more = Math.floor((frame.rest * 1000) / this.above);
            [frame.ns, frame.rest] = [frame.ns * 1000 + more, frame.rest * 1000 - more * this.above];
        }
        const turns = mode === "bounce" && steps.length > 2 ? 2 * steps.length - 2 : steps.length;
        for (let turn = 0; turn < turns && !this.still; turn++) {
            const ns = own[this.stepOf(turn)];
            this.still = ns === null && above === 0;
            this.starts.push(this.sum(this.starts[turn], this.still ? { ns: 0, rest: 0 } : ns === null ? frame : { ns, rest: 0 }));
        }
    }
    /** How many steps it shows before it starts again, there and back. */
    get turns() {
        return this.starts.length - 1;
    }
    /** How long a period is, in nanoseconds, rounded down. */
    get length() {
        return this.still ? Infinity : this.starts[this.turns].ns;
    }
    /** Whether all its steps together take no time. */
    get isEmpty() {
        const { ns, rest } = this.starts[this.turns];
        return !this.still && ns === 0 && rest === 0;
    }
    /** The step of a turn. */
    stepOf(turn) {
        return turn < this.steps.length ? turn : 2 * this.steps.length - 2 - turn;
    }
    /**
     * What is shown at a given time. Negative times count back from the end of a period; a clip that plays once then shows its first
     * step.
     */
    at(nanoseconds) {
        const time = this.moment(nanoseconds);
        const played = this.fold(time);
        return { step: this.stepOf(this.turnAt(time)), played, ended: this.mode === "once" && played > 0 };
    }
    /** A time limited to what can be counted. */
    moment(nanoseconds) {
        return { ns: Math.max(-LONGEST, Math.min(LONGEST, Math.round(nanoseconds))), rest: 0 };
    }
    sum(a, b) {
        const over = a.rest + b.rest >= this.above;
        return { ns: a.ns + b.ns + (over ? 1 : 0), rest: a.rest + b.rest - (over ? this.above : 0) };
    }
    /** Moves a time into the first period, and returns how many periods lie before it. Uses only sums and halves, so it is exact. */
    fold(time) {
        const parts = this.above;
        const length = this.starts[this.turns];
        const below = time.ns < 0;
        const over = !this.still && !before(time, length);
        // Most steps of a player stay within the period. Nothing is allocated there or below.
        if (!below && !over)
            return 0;
        if (this.mode === "once" || this.still) {
            const to = over ? length : this.mode === "once" ? this.starts[0] : this.starts[this.turns - 1];
            time.ns = to.ns;
            time.rest = to.rest;
            return over ? 1 : this.mode === "once" ? 0 : -1;
        }
        let ns = below ? -time.ns - (time.rest > 0 ? 1 : 0) : time.ns;
        let rest = below && time.rest > 0 ? parts - time.rest : time.rest;
        let byNs = length.ns;
        let byRest = length.rest;
        let times = 1;
        let played = 0;
        while (byNs <= LONGEST / 2) {
            const carry = 2 * byRest >= parts ? 1 : 0;
            const twiceNs = 2 * byNs + carry;
            const twiceRest = 2 * byRest - carry * parts;
            if (ns < twiceNs || (ns === twiceNs && rest < twiceRest))
                break;
            byNs = twiceNs;
            byRest = twiceRest;
            times *= 2;
        }
        for (; times >= 1; times /= 2) {
            if (ns > byNs || (ns === byNs && rest >= byRest)) {
                const borrow = rest < byRest ? 1 : 0;
                ns -= byNs + borrow;
                rest += borrow * parts - byRest;
                played += times;
            }
            byRest = (byRest + (byNs % 2) * parts) / 2;
            byNs = Math.floor(byNs / 2);
        }
        if (below && (ns > 0 || rest > 0)) {
            const borrow = length.rest < rest ? 1 : 0;
            ns = length.ns - ns - borrow;
            rest = length.rest - rest + borrow * parts;
            played += 1;
        }
        time.ns = ns;
        time.rest = rest;
        return below ? -played : played;
    }
    /** The turn at a time of the first period. */
    turnAt(time) {
        let low = 0;
        let high = this.turns;
        while (high - low > 1) {
            const middle = (low + high) >> 1;
            if (before(time, this.starts[middle]))
                high = middle;
            else
                low = middle;
        }
        return low;
    }
}
function before(a, b) {
    return a.ns < b.ns || (a.ns === b.ns && a.rest < b.rest);
}
/** Plays a clip. */
export class Player {
    /** Starts at this position of the clip, in nanoseconds: start each of a crowd elsewhere, and they do not move in step. */
    constructor(clip, nanoseconds = 0) {
        this.clip = clip;
        /** How often it has played through; negative after playing backwards past its beginning. */
        this.played = 0;
        this.told = 0;
        this.entered = 0;
        this.now = clip.moment(nanoseconds);
        clip.fold(this.now);
        this.turn = clip.turnAt(this.now);
    }
    /** The step to show now. */
    get step() {
        return this.clip.steps[this.clip.stepOf(this.turn)];
    }
    /** Whether a clip that plays once is over. */
    get ended() {
        return this.clip.mode === "once" && this.played > 0;
    }
    /** Advances by whole nanoseconds; a negative number plays backwards. */
    advance(nanoseconds) {
        const clip = this.clip;
        const now = this.now;
        this.told = this.turn;
        now.ns += Math.max(-LONGEST, Math.min(LONGEST, Math.round(nanoseconds)));
        const played = clip.fold(now);
        this.turn = clip.turnAt(now);
        this.entered = (clip.mode === "once" ? 0 : played * clip.turns) + this.turn - this.told;
        this.played = clip.mode === "once" ? played : this.played + played;
    }
    /** The next step that began during the last advance, in order; null when there are no more. */
    next() {
        if (this.entered === 0)
            return null;
        const by = this.entered > 0 ? 1 : -1;
        this.entered -= by;
        this.told = (this.told + by + this.clip.turns) % this.clip.turns;
        return this.clip.steps[this.clip.stepOf(this.told)];
    }
}
/** Reads a descriptor's text. Throws ReadError if it is not a valid descriptor. */
export function read(text) {
    let value;
    try {
        value = JSON.parse(text);
    }
    catch (error) {
        throw new ReadError("", `no JSON: ${error instanceof Error ? error.message : error}`);
    }
    const whole = new Value(value);
    const [version, needs] = [whole.get("zemtak").whole(0), whole.get("needs").texts()];
    if (version !== VERSION)
        whole.get("zemtak").wrong(`is version ${version}, this reader reads version ${VERSION}`);
    if (needs.length > 0)
        whole.get("needs").wrong(`asks for ${needs.join(", ")}, which this reader does not know`);
    const pages = whole.get("pages").items().map(readPage);
    const sprites = whole.get("sprites").map((value, name, node) => quickSprite(value, name, pages) ?? readSprite(node(), name, pages));
    const clips = whole.get("clips").map((_, name, node) => readClip(node(), name, sprites));
    const [buildId, base] = [whole.find("build_id")?.text() ?? null, whole.find("base")?.text() ?? null];
    return { name: whole.get("name").text(), buildId, scale: whole.get("scale").number(), base, pages, sprites, clips };
}
/** A value and its place, for messages. */
class Value {
    constructor(value, parent = null, key = "") {
        this.value = value;
        this.parent = parent;
        this.key = key;
    }
    wrong(why) {
        throw new ReadError(this.place(), why);
    }
    /** Assembled only for an error. */
    place() {
        const { parent, key } = this;
        if (!parent)
            return "";
        if (typeof key === "number")
            return `${parent.place()}[${key}]`;
        return !parent.parent ? key : parent.parent.parent ? `${parent.place()}.${key}` : `${parent.place()}[${JSON.stringify(key)}]`;
    }
    object() {
        const { value } = this;
        if (typeof value !== "object" || value === null || Array.isArray(value))
            this.wrong("should be an object");
        return value;
    }
    find(key) {
        const object = this.object();
        const value = Object.prototype.hasOwnProperty.call(object, key) ? object[key] : null;
        return value === null ? null : new Value(value, this, key);
    }
    get(key) {
        return this.find(key) ?? this.wrong(`has no ${key}`);
    }
    map(of) {
        const [made, object] = [new Map(), this.object()];
        for (const name of Object.keys(object))
            made.set(name, of(object[name], name, () => new Value(object[name], this, name)));
        return made;
    }
    items() {
        if (!Array.isArray(this.value))
            this.wrong("should be a list");
        return this.value.map((value, i) => new Value(value, this, i));
    }
    text() {
        return typeof this.value === "string" ? this.value : this.wrong("should be a string");
    }
    texts() {
        return this.items().map((item) => item.text());
    }
    truth() {
        return typeof this.value === "boolean" ? this.value : this.wrong("should be true or false");
    }
    number() {
        return typeof this.value === "number" && isFinite(this.value) ? this.value : this.wrong("should be a finite number");
    }
    whole(least, most = LONGEST_SIDE) {
        const value = this.number();
        return Number.isInteger(value) && value >= least && value <= most ? value : this.wrong(`is not a whole number from ${least} to ${most}`);
    }
    /** A list of this many numbers: whole and not negative, unless any are allowed. */
    several(count, any) {
        const items = this.items();
        if (items.length !== count)
            this.wrong(`should have ${count} numbers`);
        return items.map((item) => (any ? item.number() : item.whole(0)));
    }
    point(any = false) {
        const [x, y] = this.several(2, any);
        return [x, y];
    }
    four() {
        const [a, b, c, d] = this.several(4, false);
        return [a, b, c, d];
    }
}
function readLayer(node) {
    const [file, pixels, alpha, colour] = ["file", "pixels", "alpha", "colour"].map((key) => node.get(key).text());
    const plain = file.split("/").every((part) => part !== "" && part !== "." && part !== "..");
    if (!plain || /[\\:\0]/.test(file))
        node.get("file").wrong("is not a relative path below the descriptor's folder");
    return { file, pixels, alpha, colour };
}
function readPage(node) {
    const sampling = node.get("sampling");
    const [filter, wrap] = [sampling.get("filter").text(), sampling.get("wrap").text()];
    const [width, height] = [node.get("width").whole(1), node.get("height").whole(1)];
    const [mips, safeMips] = [sampling.get("mips").whole(1, 32), sampling.find("safe_mips")?.whole(-1) ?? null];
    const layers = node.find("layers")?.map((_, __, layer) => readLayer(layer())) ?? new Map();
    return { ...readLayer(node), width, height, filter, wrap, mips, safeMips, hash: node.get("hash").text(), layers };
}
/** A sprite that is obviously valid, as most are, in one go; null if `readSprite` must look closer. */
function quickSprite(of, name, pages) {
    const [box, canvas, inset, pivot, page] = [of?.box, of?.canvas, of?.inset, of?.pivot, pages[of?.page]];
    const lists = box?.length === 4 && canvas?.length === 2 && inset?.length === 2 && pivot?.length === 2;
    if (!lists || !page || "points" in of || "stretch" in of || "tags" in of || typeof of.turned !== "boolean")
        return null;
    const [wide, high] = of.turned ? [box[3], box[2]] : [box[2], box[3]];
    const whole = (n, least, most) => Number.isInteger(n) && n >= least && n <= most;
    const right = whole(box[0], 0, page.width) && whole(box[1], 0, page.height) && whole(box[2], 1, page.width - box[0]) && whole(box[3], 1, page.height - box[1]) &&
        whole(canvas[0], 1, LONGEST_SIDE) && whole(canvas[1], 1, LONGEST_SIDE) && whole(inset[0], 0, canvas[0] - wide) && whole(inset[1], 0, canvas[1] - high) &&
        Number.isFinite(pivot[0]) && Number.isFinite(pivot[1]);
    if (!right)
        return null;
    const pageSize = [page.width, page.height];
    return { name, page: of.page, pageSize, box, turned: of.turned, canvas, inset, pivot, points: NO_POINTS, stretch: null, tags: NO_TAGS, user: of.user ?? null };
}
const NO_POINTS = new Map();
const NO_TAGS = [];
function readSprite(node, name, pages) {
    const page = node.get("page").whole(0);
    if (page >= pages.length)
        node.get("page").wrong(`is ${page}, there are ${pages.length} pages`);
    const pageSize = [pages[page].width, pages[page].height];
    const [box, turned] = [node.get("box").four(), node.get("turned").truth()];
    const [x, y, w, h] = box;
    if (w < 1 || h < 1 || x + w > pageSize[0] || y + h > pageSize[1])
        node.get("box").wrong(`does not lie on its page of ${pageSize.join(" x ")} pixels`);
    const [canvas, inset] = [node.get("canvas").point(), node.get("inset").point()];
    if (inset[0] + (turned ? h : w) > canvas[0] || inset[1] + (turned ? w : h) > canvas[1])
        node.get("inset").wrong("puts the box beyond the canvas");
    const points = node.find("points")?.map((_, __, point) => point().point(true)) ?? new Map();
    const [bands, tags] = [node.find("stretch"), node.find("tags")?.texts() ?? []];
    const stretch = bands?.four() ?? null;
    if (stretch && (stretch[0] + stretch[2] > canvas[0] || stretch[1] + stretch[3] > canvas[1]))
        bands?.wrong("has bands wider than the canvas");
    const [pivot, user] = [node.get("pivot").point(true), node.find("user")?.value ?? null];
    return { name, page, pageSize, box, turned, canvas, inset, pivot, points, stretch, tags, user };
}
/** A rate as written in the descriptor: a number of up to nine digits, or a ratio such as "60000/1001". */
function readRate(node) {
    const { value } = node;
    let [above, below] = [-1, 1];
    const ratio = typeof value === "string" ? /^(\d{1,10})\/(\d{1,10})$/.exec(value) : null;
    if (ratio) {
        [above, below] = [Number(ratio[1]), Number(ratio[2])];
    }
    else if (typeof value === "number") {
        // The shortest decimal that reads back as this number.
        for (; below <= 1e9 && Math.round(value * below) / below !== value;)
            below *= 10;
        above = Math.round(value * below);
    }
    if (!(above >= 0 && above < 2 ** 31 && below > 0 && below < 2 ** 32 && (ratio || below <= 1e9))) {
        node.wrong("is neither a number of up to nine digits nor a ratio such as 60000/1001");
    }
    const divisor = (a, b) => (b === 0 ? a : divisor(b, a % b));
    const common = divisor(above, below);
    return [above / common, below / common];
}
function readClip(node, name, sprites) {
    const [mode, fps, list] = [node.get("mode").text(), node.find("fps"), node.get("steps")];
    if (mode !== "loop" && mode !== "once" && mode !== "bounce")
        return node.get("mode").wrong("is neither loop, once nor bounce");
    const own = [];
    const steps = list.items().map((step) => {
        const [sprite, ms] = [step.get("sprite").text(), step.find("ms")];
        if (!sprites.has(sprite) && !sprite.includes(":"))
            step.get("sprite").wrong("is not a sprite of this atlas");
        if (!ms && !fps)
            step.wrong("has no ms, and its clip has no fps");
        const ns = ms ? Math.round(ms.number() * 1e6) : null;
        if (ns !== null && !(ns >= 0 && ns <= 1e18))
            ms?.wrong("is not a duration");
        own.push(ns);
        return { sprite, events: step.find("events")?.texts() ?? [] };
    });
    if (steps.length === 0)
        list.wrong("is empty");
    const clip = new Clip(name, mode, steps, own, ...(fps ? readRate(fps) : [10, 1]));
    if (clip.isEmpty)
        list.wrong("take no time, all together");
    if (clip.length > LONGEST && clip.length < Infinity)
        list.wrong("take more than 52 days, all together");
    return clip;
}
