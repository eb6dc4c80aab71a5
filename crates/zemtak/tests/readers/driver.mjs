// Answers a list of questions with the reader for JavaScript.

import { readFileSync } from "node:fs";
import { Player, ReadError, partOf, quadOf, read, stretched, uvsOf } from "./zemtak-reader.js";

const tellQuad = (quad) => [...quad.positions, ...quad.uvs, ...quad.indices].join(" ");

const placement = ([x, y, scaleX, scaleY, degrees, yUp, vUp, shrink]) => ({ x, y, scaleX, scaleY, degrees, yUp: yUp !== 0, vUp: vUp !== 0, shrink });

function tellPage(p) {
    const values = [p.file, p.width, p.height, p.pixels, p.alpha, p.colour, p.filter, p.wrap, p.mips, p.safeMips ?? "none", p.hash];
    const layers = [...p.layers].map(([name, { file, pixels, alpha, colour }]) => [name, file, pixels, alpha, colour]);
    return [values, ...layers].map((words) => words.join(" ")).join("\t");
}

function tellSprite(s) {
    const numbers = [s.page, ...s.box, Number(s.turned), ...s.canvas, ...s.inset, ...s.pivot, ...(s.stretch ?? [0, 0, 0, 0])];
    const points = [...s.points].map(([name, [x, y]]) => `${name}=${x},${y}`);
    return [numbers.join(" "), ...points, ...s.tags.map((tag) => `#${tag}`)].join("\t");
}

function play(clip, [start, ...times]) {
    const player = new Player(clip, start);
    let out = "";
    for (const time of times) {
        player.advance(time);
        for (let step = player.next(); step; step = player.next()) out += `${step.sprite};`;
        out += `|${player.step.sprite} ${player.played} ${Number(player.ended)}\t`;
    }
    return out;
}

function answer(atlas, kind, name, numbers) {
    const v = numbers.split(" ").map(Number);
    const [sprite, clip] = [atlas.sprites.get(name), atlas.clips.get(name)];
    if (kind === "atlas") return [atlas.name, atlas.buildId ?? "none", atlas.base ?? "none", atlas.scale].join(" ");
    if (kind === "page") return tellPage(atlas.pages[v[0]]);
    if (kind === "clip") {
        return [["loop", "once", "bounce"].indexOf(clip.mode), ...clip.steps.map((step) => [step.sprite, ...step.events].join("!"))].join("\t");
    }
    if (kind === "at") {
        const { step, played, ended } = clip.at(v[0]);
        return `${step} ${played} ${Number(ended)}`;
    }
    if (kind === "play") return play(clip, v);
    if (kind === "sprite") return tellSprite(sprite);
    if (kind === "uv") return uvsOf(sprite, { flipX: v[0] !== 0, flipY: v[1] !== 0, vUp: v[2] !== 0, shrink: v[3] }).join(" ");
    if (kind === "part") {
        const part = partOf(sprite, ...v);
        return part ? tellQuad(quadOf(part, { x: 5, y: 7 })) : "none";
    }
    if (kind === "quad") return tellQuad(quadOf(sprite, placement(v)));
    return stretched(sprite, v[0], v[1], placement(v.slice(3)), v[2] !== 0).map((quad) => `${tellQuad(quad)}\t`).join("");
}

function check(path) {
    try {
        read(readFileSync(path, "utf8"));
        return "ok";
    } catch (error) {
        if (!(error instanceof ReadError)) throw error;
        return error.message.replaceAll("\n", " ");
    }
}

const words = process.argv.slice(2);
if (words[0] === "--check") {
    process.stdout.write(words.slice(1).map((path) => `${check(path)}\n`).join(""));
} else {
    const atlas = read(readFileSync(words[0], "utf8"));
    const lines = readFileSync(words[1], "utf8").split("\n").filter((line) => line);
    process.stdout.write(lines.map((line) => `${answer(atlas, ...line.split("\t"))}\n`).join(""));
}
