// Answers a list of questions with the reader for C++.
#define ZR_IMPLEMENTATION
#include "zemtak_reader.hpp"

#include <fstream>
#include <iostream>
#include <iterator>
#include <sstream>

static std::string whole(const char *path) {
    std::ifstream file(path, std::ios::binary);
    return {std::istreambuf_iterator<char>(file), {}};
}

static void tell(const zr_quad &quad) {
    for (int i = 0; i < 8; i++) std::cout << quad.positions[i / 2][i % 2] << ' ';
    for (int i = 0; i < 8; i++) std::cout << quad.uvs[i / 2][i % 2] << ' ';
    for (int i : quad.indices) std::cout << i << ' ';
}

static void tell(const zr::Sprite &s) {
    std::cout << s.page;
    for (int v : s.box) std::cout << ' ' << v;
    std::cout << ' ' << s.turned << ' ' << s.canvas[0] << ' ' << s.canvas[1] << ' ' << s.inset[0] << ' ' << s.inset[1] << ' ' << s.pivot[0] << ' '
              << s.pivot[1];
    for (int v : s.stretch) std::cout << ' ' << v;
    for (const zr_point &point : s.named_points()) std::cout << '\t' << point.name << '=' << point.at[0] << ',' << point.at[1];
    for (const char *tag : s.all_tags()) std::cout << "\t#" << tag;
}

static void tell(const zr_page &p) {
    std::cout << p.file << ' ' << p.width << ' ' << p.height << ' ' << p.pixels << ' ' << p.alpha << ' ' << p.colour << ' ' << p.filter << ' ' << p.wrap
              << ' ' << p.mips << ' ' << (p.safe_mips == -2 ? "none" : std::to_string(p.safe_mips)) << ' ' << p.hash;
    for (const zr_layer &layer : zr::Span<zr_layer>(p.layers, p.layer_count))
        std::cout << '\t' << layer.name << ' ' << layer.file << ' ' << layer.pixels << ' ' << layer.alpha << ' ' << layer.colour;
}

static zr_placement placement(std::istream &numbers) {
    zr_placement at = zr_at(0, 0);
    numbers >> at.at[0] >> at.at[1] >> at.scale[0] >> at.scale[1] >> at.degrees >> at.y_up >> at.v_up >> at.shrink;
    return at;
}

static void tell(const zr_clip &clip, const std::string &kind, std::istream &numbers) {
    std::int64_t time = 0;
    if (kind == "clip") {
        std::cout << static_cast<int>(clip.mode);
        for (const zr_step &step : zr::Span<zr_step>(clip.steps, clip.step_count)) {
            std::cout << '\t' << step.sprite;
            for (const char *event : zr::Span<const char *>(step.events, step.event_count)) std::cout << '!' << event;
        }
        return;
    }
    numbers >> time;
    if (kind == "at") {
        const zr_shown shown = zr_show(&clip, time);
        std::cout << shown.step << ' ' << shown.played << ' ' << shown.ended;
        return;
    }
    zr::Player player(clip, time);
    while (numbers >> time) {
        for (const zr_step &step : player.advance(time)) std::cout << step.sprite << ';';
        std::cout << '|' << player.step().sprite << ' ' << player.played() << ' ' << player.ended() << '\t';
    }
}

static void answer(const zr::Atlas &atlas, const std::string &kind, const std::string &name, std::istream &numbers) {
    if (kind == "clip" || kind == "at" || kind == "play") return tell(*atlas.find_clip(name.c_str()), kind, numbers);
    if (kind == "atlas") {
        const auto or_none = [](const char *text) { return text ? text : "none"; };
        std::cout << atlas.name() << ' ' << or_none(atlas.get()->build_id) << ' ' << or_none(atlas.get()->base) << ' ' << atlas.scale();
        return;
    }
    if (kind == "page") {
        std::size_t page = 0;
        numbers >> page;
        return tell(atlas.pages()[page]);
    }
    const zr::Sprite sprite = atlas.sprite(name.c_str());
    if (kind == "sprite") return tell(sprite);
    if (kind == "uv") {
        zr_sampling how{};
        numbers >> how.flip_x >> how.flip_y >> how.v_up >> how.shrink;
        for (const auto &corner : sprite.uvs(how)) std::cout << corner[0] << ' ' << corner[1] << ' ';
    } else if (kind == "part") {
        int x = 0, y = 0, w = 0, h = 0;
        numbers >> x >> y >> w >> h;
        if (const auto part = sprite.part(x, y, w, h)) tell(part->quad(zr_at(5, 7)));
        else std::cout << "none";
    } else if (kind == "quad") {
        tell(sprite.quad(placement(numbers)));
    } else {
        double w = 0, h = 0;
        bool tiled = false;
        std::vector<zr_quad> quads;
        numbers >> w >> h >> tiled;
        sprite.stretched(w, h, tiled, placement(numbers), quads);
        for (const zr_quad &quad : quads) tell(quad), std::cout << '\t';
    }
}

int main(int count, char **words) {
    std::cout.precision(17);
    if (std::string_view(words[1]) == "--check") {
        for (int i = 2; i < count; i++) {
            try {
                zr::Atlas::read(whole(words[i]));
                std::cout << "ok\n";
            } catch (const zr::ReadError &error) {
                std::cout << error.what() << '\n';
            }
        }
        return 0;
    }
    const zr::Atlas atlas = zr::Atlas::read(whole(words[1]));
    std::istringstream lines(whole(words[2]));
    std::string kind, name, rest;
    while (std::getline(lines, kind, '\t') && std::getline(lines, name, '\t') && std::getline(lines, rest)) {
        std::istringstream numbers(rest);
        answer(atlas, kind, name, numbers);
        std::cout << '\n';
    }
}
