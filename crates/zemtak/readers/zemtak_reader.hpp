// SPDX-License-Identifier: 0BSD
//
// Reads Zemtak atlases, tells where sprites are and how to draw them, and plays clips. C++17, over zemtak_reader.h, which `zemtak
// reader c` prints: one source file defines ZR_IMPLEMENTATION before it includes either.
//
// Reader version 1, for descriptors of version 1. Add both files to your game, and change them as you like. Your game loads the
// pictures itself: pages name the files.
//
//     zr::Atlas atlas = zr::Atlas::read(text);                 // of night.zemtak.json; throws zr::ReadError
//     const zr::Sprite moth = atlas.sprite("moth/fly/03");     // throws std::out_of_range; find_sprite does not
//     zr_quad quad = moth.quad(zr_at(120, 64));                // four positions, four texture coordinates, six indices
//
//     zr::Player player(*atlas.find_clip("moth/fly"));
//     for (const zr_step &step : player.advance(16'666'667)) { }  // nanoseconds; every step that began on the way: play its events
//     show(atlas.sprite(player.step().sprite));
//
// An atlas owns everything that it returns; none of it may be used once the atlas is destroyed. zemtak_reader.h explains the plain
// structs.
#ifndef ZEMTAK_READER_HPP
#define ZEMTAK_READER_HPP

#include "zemtak_reader.h"

#include <array>
#include <memory>
#include <optional>
#include <stdexcept>
#include <string>
#include <string_view>
#include <vector>

namespace zr {

/// What is wrong with a descriptor, and where: `sprites["moth/fly/03"].box: …`.
class ReadError : public std::runtime_error {
public:
    explicit ReadError(const zr_error &error) : std::runtime_error(std::string(error.place) + ": " + error.why), place_(error.place) {}
    /// The place in the descriptor.
    const std::string &place() const noexcept { return place_; }

private:
    std::string place_;
};

/// A list that the atlas owns.
template <typename T>
class Span {
public:
    Span(const T *first, int count) noexcept : first_(first), count_(static_cast<std::size_t>(count)) {}
    const T *begin() const noexcept { return first_; }
    const T *end() const noexcept { return first_ + count_; }
    std::size_t size() const noexcept { return count_; }
    const T &operator[](std::size_t at) const noexcept { return first_[at]; }

private:
    const T *first_;
    std::size_t count_;
};

using Uvs = std::array<std::array<float, 2>, 4>;

/// A sprite, or a part of one.
class Sprite : public zr_sprite {
public:
    // NOLINTNEXTLINE: a plain sprite is one.
    Sprite(const zr_sprite &plain) noexcept : zr_sprite(plain) {}

    Span<zr_point> named_points() const noexcept { return {points, point_count}; }
    Span<const char *> all_tags() const noexcept { return {tags, tag_count}; }

    /// The texture coordinates of the corners.
    Uvs uvs(const zr_sampling &how = zr_sampling()) const noexcept {
        float plain[4][2];
        zr_uvs(this, &how, plain);
        Uvs uvs{};
        for (std::size_t i = 0; i < 4; i++) uvs[i] = {plain[i][0], plain[i][1]};
        return uvs;
    }

    /// A part, in canvas pixels; nothing if none of it is stored.
    std::optional<Sprite> part(int x, int y, int width, int height) const noexcept {
        zr_sprite plain;
        if (!zr_part(this, x, y, width, height, &plain)) return std::nullopt;
        return Sprite(plain);
    }

    zr_quad quad(const zr_placement &at) const noexcept {
        zr_quad quad;
        zr_draw(this, &at, &quad);
        return quad;
    }

    /// Quads that draw it `width` by `height` canvas pixels in size. Reuses the list, so that it stops allocating after a while.
    void stretched(double width, double height, bool tiled, const zr_placement &at, std::vector<zr_quad> &quads) const {
        quads.resize(static_cast<std::size_t>(zr_stretch(this, width, height, tiled, &at, nullptr, 0)));
        zr_stretch(this, width, height, tiled, &at, quads.data(), static_cast<int>(quads.size()));
    }
};

/// Plays a clip. It may be copied.
class Player {
public:
    explicit Player(const zr_clip &clip, std::int64_t nanoseconds = 0) noexcept { zr_play(&player_, &clip, nanoseconds); }

    /// The steps that began during an advance, each of them once.
    class Entered {
    public:
        class Iterator {
        public:
            Iterator(zr_player *player, const zr_step *step) noexcept : player_(player), step_(step) {}
            const zr_step &operator*() const noexcept { return *step_; }
            Iterator &operator++() noexcept {
                step_ = zr_next_step(player_);
                return *this;
            }
            bool operator!=(const Iterator &other) const noexcept { return step_ != other.step_; }

        private:
            zr_player *player_;
            const zr_step *step_;
        };

        explicit Entered(zr_player *player) noexcept : player_(player) {}
        Iterator begin() const noexcept { return {player_, zr_next_step(player_)}; }
        Iterator end() const noexcept { return {player_, nullptr}; }

    private:
        zr_player *player_;
    };

    /// Advances by this many nanoseconds; a negative number plays backwards. The result may be ignored.
    Entered advance(std::int64_t nanoseconds) noexcept {
        zr_advance(&player_, nanoseconds);
        return Entered(&player_);
    }

    /// The step to show now.
    const zr_step &step() const noexcept { return *zr_step_of(&player_); }
    /// How often it has played through; negative after playing backwards past its beginning.
    std::int64_t played() const noexcept { return player_.played; }
    /// Whether a clip that plays once is over.
    bool ended() const noexcept { return zr_ended(&player_) != 0; }

private:
    zr_player player_;
};

/// Sprites packed onto pages, and clips of them.
class Atlas {
public:
    /// Reads a descriptor's text.
    static Atlas read(std::string_view text) {
        zr_error error;
        auto atlas = read(text, error);
        if (!atlas) throw ReadError(error);
        return std::move(*atlas);
    }

    /// The same, without exceptions.
    static std::optional<Atlas> read(std::string_view text, zr_error &error) noexcept {
        zr_atlas *atlas = zr_read(text.data(), text.size(), &error);
        if (!atlas) return std::nullopt;
        return Atlas(atlas);
    }

    std::string_view name() const noexcept { return atlas_->name; }
    double scale() const noexcept { return atlas_->scale; }
    Span<zr_page> pages() const noexcept { return {atlas_->pages, atlas_->page_count}; }
    Span<zr_sprite> sprites() const noexcept { return {atlas_->sprites, atlas_->sprite_count}; }
    Span<zr_clip> clips() const noexcept { return {atlas_->clips, atlas_->clip_count}; }

    /// Null if there is none of that name.
    const zr_sprite *find_sprite(const char *name) const noexcept { return zr_find_sprite(atlas_.get(), name); }
    const zr_clip *find_clip(const char *name) const noexcept { return zr_find_clip(atlas_.get(), name); }

    Sprite sprite(const char *name) const {
        const zr_sprite *found = find_sprite(name);
        if (!found) throw std::out_of_range(std::string("no sprite ") + name);
        return *found;
    }

    /// The plain struct, for the functions of zemtak_reader.h.
    const zr_atlas *get() const noexcept { return atlas_.get(); }

private:
    struct Free {
        void operator()(zr_atlas *atlas) const noexcept { zr_free(atlas); }
    };

    explicit Atlas(zr_atlas *atlas) noexcept : atlas_(atlas) {}
    std::unique_ptr<zr_atlas, Free> atlas_;
};

} // namespace zr

#endif
