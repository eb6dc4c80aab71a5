// SPDX-License-Identifier: MIT OR Apache-2.0
//
// The resource cache of Zemtak for C++17, on top of zemtak.h: leases are given back when they go out of scope. Throws no exceptions:
// calls that can fail return a code. docs/c.md is the guide; zemtak.h documents each call.
//
//     zemtak::Settings settings;
//     settings.add_folder("assets");
//     zemtak::Game game;                                   // a cache and its pump; closed at the end of the scope
//     if (game.open(settings, device) != ZEMTAK_OK) return 1;
//     zemtak::Lease moth = game.lease("night:moth/fly/03");
//     while (running) {
//         game.pump();
//         if (auto quad = moth.quad(zemtak::at(120, 64))) draw(*quad);
//     }
//
// Leases keep the cache alive, so scopes may end in any order; once the pump is closed, they show nothing.
#ifndef ZEMTAK_HPP
#define ZEMTAK_HPP

#include "zemtak.h"

#include <cstdint>
#include <memory>
#include <optional>
#include <string>
#include <string_view>
#include <utility>
#include <vector>

namespace zemtak {

/// A placement at (x, y), at the size of the canvas, upright.
inline zemtak_placement at(double x, double y) noexcept {
    zemtak_placement placement{};
    placement.at[0] = x, placement.at[1] = y, placement.scale[0] = placement.scale[1] = 1;
    return placement;
}

/// A text returned by a call.
inline std::string_view text_of(const zemtak_text &text) noexcept { return reinterpret_cast<const char *>(text.text); }

/// A device: derive from it. It is called only on the thread that opened the game.
class Sink {
public:
    virtual ~Sink() = default;
    /// Makes a texture and writes its number. Returns 0 on success, 1 if the device is out of memory, anything else for other failures.
    virtual std::int32_t make_texture(const zemtak_new_texture &wanted, std::uint64_t &texture) noexcept = 0;
    /// Drops a texture: each that was made, exactly once.
    virtual void drop_texture(std::uint64_t texture) noexcept = 0;
    /// The longest side that a texture may have; 0 for 16,384.
    virtual std::uint32_t largest_side() const noexcept { return 0; }
    /// Whether it takes textures in compressed blocks too; otherwise these are unpacked.
    virtual bool takes_blocks() const noexcept { return false; }
    /// Whether large textures are made by the next two functions, over several frames.
    virtual bool fills_by_rows() const noexcept { return false; }
    /// Makes a texture with room for all levels; returns the same as `make_texture`.
    virtual std::int32_t make_empty(const zemtak_new_texture &, std::uint64_t &) noexcept { return -1; }
    /// Fills rows of it. Returns 0 on success; otherwise the texture is dropped.
    virtual std::int32_t write_rows(std::uint64_t, const zemtak_rows &) noexcept { return -1; }
};

/// Settings of a cache. Set the fields of `plain` as you like, except for its roots.
class Settings {
public:
    zemtak_settings plain{};

    /// Adds a folder to search for files, after those added before.
    void add_folder(std::string folder) { folders_.push_back({std::move(folder), {}, false}); }
    /// Adds functions that read files; the struct is copied.
    void add_files(const zemtak_files &files) { folders_.push_back({{}, files, true}); }

private:
    friend class Game;
    struct Root {
        std::string folder;
        zemtak_files files;
        bool by_files;
    };
    std::vector<Root> folders_;
};

/// A handle that is given back at the end of its scope. It can be moved, not copied.
template <zemtak_code (*Release)(const zemtak_cache *, std::uint64_t)>
class Held {
public:
    Held() noexcept = default;
    Held(std::shared_ptr<zemtak_cache> cache, std::uint64_t handle) noexcept : cache_(std::move(cache)), handle_(handle) {}
    Held(Held &&other) noexcept : cache_(std::move(other.cache_)), handle_(std::exchange(other.handle_, 0)) {}
    Held &operator=(Held &&other) noexcept {
        if (this != &other) {
            reset();
            cache_ = std::move(other.cache_), handle_ = std::exchange(other.handle_, 0);
        }
        return *this;
    }
    ~Held() { reset(); }

    /// Whether there is one.
    explicit operator bool() const noexcept { return handle_ != 0; }
    /// Its number, for the functions of zemtak.h.
    std::uint64_t handle() const noexcept { return handle_; }
    /// Gives it back now.
    void reset() noexcept {
        if (handle_ != 0) Release(cache_.get(), std::exchange(handle_, 0));
        cache_.reset();
    }

protected:
    std::shared_ptr<zemtak_cache> cache_;
    std::uint64_t handle_ = 0;
};

/// A counted hold on a sprite, or on a part of one.
class Lease : public Held<zemtak_lease_release> {
public:
    using Held::Held;

    zemtak_code status(zemtak_text *error = nullptr) const noexcept { return zemtak_lease_status(cache_.get(), handle_, error); }
    bool is_ready() const noexcept { return status() == ZEMTAK_OK; }

    /// What it shows; empty while it is not loaded.
    std::optional<zemtak_view> view() const noexcept {
        zemtak_view view;
        if (zemtak_lease_view(cache_.get(), handle_, &view) != ZEMTAK_OK) return std::nullopt;
        return view;
    }

    /// The vertices that draw it.
    std::optional<zemtak_quad> quad(const zemtak_placement &placement) const noexcept {
        zemtak_quad quad;
        if (zemtak_lease_quad(cache_.get(), handle_, &placement, &quad) != ZEMTAK_OK) return std::nullopt;
        return quad;
    }

    /// The quads that draw it stretched to a size in canvas pixels; its bands keep their size.
    std::vector<zemtak_quad> stretched(double width, double height, bool tiled, const zemtak_placement &placement) const {
        std::vector<zemtak_quad> quads(9);
        for (;;) {
            std::uint32_t count = 0;
            const auto room = static_cast<std::uint32_t>(quads.size());
            zemtak_lease_stretched(cache_.get(), handle_, width, height, tiled, &placement, quads.data(), room, &count);
            quads.resize(count);
            if (count <= room) return quads;
        }
    }

    /// The texture of a layer of its page, such as `normal`; empty while it is not loaded.
    std::optional<std::uint64_t> layer(const char *name) const noexcept {
        std::uint64_t texture = 0;
        if (zemtak_lease_layer(cache_.get(), handle_, name, &texture) != ZEMTAK_OK) return std::nullopt;
        return texture;
    }

    /// A named point in canvas pixels; empty if it has none of that name.
    std::optional<std::pair<double, double>> point(const char *name) const noexcept {
        std::pair<double, double> point;
        if (zemtak_lease_point(cache_.get(), handle_, name, &point.first, &point.second) != ZEMTAK_OK) return std::nullopt;
        return point;
    }

    /// A lease on a part, in canvas pixels; empty if nothing of it is stored.
    Lease part(std::int32_t x, std::int32_t y, std::uint32_t width, std::uint32_t height) const noexcept {
        std::uint64_t part = 0;
        zemtak_lease_part(cache_.get(), handle_, x, y, width, height, &part);
        return {cache_, part};
    }

    /// Another lease on the same.
    Lease share() const noexcept {
        std::uint64_t other = 0;
        zemtak_lease_share(cache_.get(), handle_, &other);
        return {cache_, other};
    }
};

/// Many sprites leased together.
class LeaseSet : public Held<zemtak_set_release> {
public:
    using Held::Held;

    zemtak_progress progress() const noexcept {
        zemtak_progress progress{};
        zemtak_set_progress(cache_.get(), handle_, &progress);
        return progress;
    }

    /// What one of them shows, by its index in the order of their names.
    std::optional<zemtak_view> view(std::uint32_t place) const noexcept {
        zemtak_view view;
        if (zemtak_set_view(cache_.get(), handle_, place, &view) != ZEMTAK_OK) return std::nullopt;
        return view;
    }
};

/// All sprites of a clip.
class ClipLease;

/// A playing clip.
class Playing : public Held<zemtak_playing_release> {
public:
    using Held::Held;

    /// Advances by this many nanoseconds; a negative number plays backwards.
    zemtak_moment advance(std::int64_t nanoseconds) noexcept {
        zemtak_moment moment{};
        zemtak_playing_advance(cache_.get(), handle_, nanoseconds, &moment);
        return moment;
    }

    /// Plays at another speed from now on.
    zemtak_code set_speed(std::int32_t speed_num, std::uint32_t speed_den = 1) noexcept {
        return zemtak_playing_set_speed(cache_.get(), handle_, speed_num, speed_den);
    }

    /// Jumps to a position of the clip.
    zemtak_code seek(std::uint64_t nanoseconds) noexcept { return zemtak_playing_seek(cache_.get(), handle_, nanoseconds); }

    /// Switches to another clip, at the same fraction of its length.
    zemtak_code go_over_to(const ClipLease &clip) noexcept;

    /// Calls `tell` with each event of the last advance, a `std::string_view`.
    template <typename Tell>
    void events(Tell &&tell) const {
        zemtak_text event;
        for (std::uint32_t n = 0; zemtak_playing_event(cache_.get(), handle_, n, &event) == ZEMTAK_OK; n++) tell(text_of(event));
    }

    /// The vertices that draw what the last advance returned.
    std::optional<zemtak_quad> quad(const zemtak_placement &placement) const noexcept {
        zemtak_quad quad;
        if (zemtak_playing_quad(cache_.get(), handle_, &placement, &quad) != ZEMTAK_OK) return std::nullopt;
        return quad;
    }
};

class ClipLease : public Held<zemtak_clip_release> {
public:
    using Held::Held;

    zemtak_code status(zemtak_text *error = nullptr) const noexcept { return zemtak_clip_status(cache_.get(), handle_, error); }

    /// Mode, steps and length; empty until the clip is known.
    std::optional<zemtak_clip_details> info() const noexcept {
        zemtak_clip_details info;
        if (zemtak_clip_info(cache_.get(), handle_, &info) != ZEMTAK_OK) return std::nullopt;
        return info;
    }

    /// Plays it at this speed, starting at a position.
    Playing play(std::int32_t speed_num = 1, std::uint32_t speed_den = 1, std::uint64_t nanoseconds = 0) const noexcept {
        std::uint64_t playing = 0;
        zemtak_playing_take(cache_.get(), handle_, speed_num, speed_den, nanoseconds, &playing);
        return {cache_, playing};
    }
};

inline zemtak_code Playing::go_over_to(const ClipLease &clip) noexcept {
    return zemtak_playing_go_over_to(cache_.get(), handle_, clip.handle());
}

/// A colour in which a sprite is drawn, and its layer: lower ones are drawn first.
inline zemtak_look look(std::int32_t layer, std::uint8_t red = 255, std::uint8_t green = 255, std::uint8_t blue = 255, std::uint8_t alpha = 255) noexcept {
    return {layer, {red, green, blue, alpha}};
}

/// Many sprites in few draws. Keep it from frame to frame.
class Batch : public Held<zemtak_batch_release> {
public:
    using Held::Held;

    /// Removes all sprites.
    void clear() noexcept { zemtak_batch_clear(cache_.get(), handle_); }
    /// From now on, what lies outside this area is left out.
    void set_screen(float left, float top, float right, float bottom) noexcept {
        const float screen[4] = {left, top, right, bottom};
        zemtak_batch_set_screen(cache_.get(), handle_, screen);
    }

    zemtak_code add(const Lease &lease, const zemtak_placement &placement, const zemtak_look &how = look(0)) noexcept {
        const zemtak_sprite sprite = {lease.handle(), placement, how};
        return zemtak_batch_add(cache_.get(), handle_, &sprite, 1);
    }
    /// Many at once, faster.
    zemtak_code add(const std::vector<zemtak_sprite> &sprites) noexcept {
        return zemtak_batch_add(cache_.get(), handle_, sprites.data(), static_cast<std::uint32_t>(sprites.size()));
    }
    zemtak_code add(const Playing &playing, const zemtak_placement &placement, const zemtak_look &how = look(0)) noexcept {
        return zemtak_batch_add_playing(cache_.get(), handle_, playing.handle(), &placement, &how);
    }
    zemtak_code add(const std::vector<zemtak_quad> &quads, const zemtak_look &how = look(0)) noexcept {
        return zemtak_batch_add_quads(cache_.get(), handle_, quads.data(), static_cast<std::uint32_t>(quads.size()), &how);
    }

    /// Vertices, or instances, and what to draw; valid until the next call with this batch.
    zemtak_laid_out lay_out(bool as_added = false, bool instances = false) noexcept {
        zemtak_laid_out laid_out{};
        zemtak_batch_lay_out(cache_.get(), handle_, as_added, instances, &laid_out);
        return laid_out;
    }
};

/// A cache and its pump.
class Game {
public:
    Game() noexcept = default;
    Game(const Game &) = delete;
    Game &operator=(const Game &) = delete;
    ~Game() { close(); }

    /// Opens them on this thread, which must be that of the graphics API. The sink must outlive them.
    zemtak_code open(const Settings &settings, Sink &sink) {
        close();
        std::vector<zemtak_root> roots;
        for (const Settings::Root &root : settings.folders_) {
            roots.push_back({root.by_files ? nullptr : root.folder.c_str(), root.by_files ? &root.files : nullptr});
        }
        zemtak_settings plain = settings.plain;
        plain.roots = roots.data(), plain.root_count = static_cast<std::uint32_t>(roots.size());
        const bool rows = sink.fills_by_rows();
        const zemtak_sink table = {&sink, make, drop, sink.largest_side(), sink.takes_blocks(), rows ? empty : nullptr, rows ? write : nullptr};
        zemtak_cache *cache = nullptr;
        const zemtak_code code = zemtak_cache_open(&plain, &table, &cache, &pump_);
        if (cache) cache_ = std::shared_ptr<zemtak_cache>(cache, [](zemtak_cache *last) { zemtak_cache_close(&last); });
        return code;
    }

    /// Drops all textures and closes the pump; the cache is closed with the last lease.
    void close() noexcept {
        if (pump_) zemtak_pump_close(&pump_);
        cache_.reset();
    }

    Lease lease(const char *name) const noexcept { return take<Lease, zemtak_lease_take>(name); }
    /// The same under a name of the game's own, which the ledger reports.
    Lease lease(const char *name, const char *holder) const noexcept {
        zemtak_cache *named = nullptr;
        std::uint64_t handle = 0;
        if (zemtak_cache_named(cache_.get(), holder, &named) == ZEMTAK_OK) zemtak_lease_take(named, name, &handle);
        zemtak_cache_close(&named);
        return {cache_, handle};
    }
    Batch batch() const noexcept {
        std::uint64_t batch = 0;
        zemtak_batch_take(cache_.get(), &batch);
        return {cache_, batch};
    }
    ClipLease lease_clip(const char *name) const noexcept { return take<ClipLease, zemtak_clip_take>(name); }

    /// Leases names and globs together.
    LeaseSet lease_all(const std::vector<const char *> &names) const noexcept {
        std::uint64_t set = 0;
        zemtak_set_take(cache_.get(), names.data(), static_cast<std::uint32_t>(names.size()), &set);
        return {cache_, set};
    }

    /// Makes and drops textures: once a frame.
    zemtak_pumped pump(const zemtak_per_frame &frame = zemtak_per_frame{}) noexcept {
        zemtak_pumped pumped{};
        zemtak_pump_run(pump_, &frame, &pumped);
        return pumped;
    }

    /// Pumps until something can be drawn: a `Lease`, a `LeaseSet` or a `ClipLease`.
    template <typename What>
    zemtak_code wait(const What &what, zemtak_text *error = nullptr) noexcept {
        return zemtak_pump_wait(pump_, cache_.get(), what.handle(), error);
    }

    /// Calls `tell` with each event since the last call, in order.
    template <typename Tell>
    void events(Tell &&tell) const {
        zemtak_event event;
        while (zemtak_cache_next_event(cache_.get(), &event) == ZEMTAK_OK) tell(static_cast<const zemtak_event &>(event));
    }

    zemtak_ledger ledger() const noexcept {
        zemtak_ledger ledger{};
        zemtak_cache_ledger(cache_.get(), &ledger);
        return ledger;
    }

    /// All of it as JSON, with who holds what.
    std::string ledger_json() const {
        std::string json;
        std::uint64_t length = 0;
        while (zemtak_cache_ledger_json(cache_.get(), json.data(), json.size(), &length) == ZEMTAK_OUT_OF_RANGE) json.resize(length);
        while (!json.empty() && json.back() == '\0') json.pop_back();
        return json;
    }

    void trim() const noexcept { zemtak_cache_trim(cache_.get()); }
    bool is_idle() const noexcept {
        bool idle = false;
        zemtak_cache_is_idle(cache_.get(), &idle);
        return idle;
    }

    /// For the functions of zemtak.h.
    zemtak_cache *cache() const noexcept { return cache_.get(); }
    zemtak_pump *plain_pump() const noexcept { return pump_; }

private:
    template <typename What, zemtak_code (*Take)(const zemtak_cache *, const char *, std::uint64_t *)>
    What take(const char *name) const noexcept {
        std::uint64_t handle = 0;
        Take(cache_.get(), name, &handle);
        return {cache_, handle};
    }

    static std::int32_t make(void *sink, const zemtak_new_texture *wanted, std::uint64_t *texture) {
        return static_cast<Sink *>(sink)->make_texture(*wanted, *texture);
    }
    static std::int32_t empty(void *sink, const zemtak_new_texture *wanted, std::uint64_t *texture) {
        return static_cast<Sink *>(sink)->make_empty(*wanted, *texture);
    }
    static std::int32_t write(void *sink, std::uint64_t texture, const zemtak_rows *rows) { return static_cast<Sink *>(sink)->write_rows(texture, *rows); }
    static void drop(void *sink, std::uint64_t texture) { static_cast<Sink *>(sink)->drop_texture(texture); }

    std::shared_ptr<zemtak_cache> cache_;
    zemtak_pump *pump_ = nullptr;
};

} // namespace zemtak

#endif
