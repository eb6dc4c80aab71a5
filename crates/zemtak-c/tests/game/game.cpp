// A game in C++ without a screen, on zemtak.hpp.
#include "zemtak.hpp"

#include <cstdio>
#include <cstdlib>
#include <set>

#define HOLD(condition) \
    do { \
        if (!(condition)) { \
            std::fprintf(stderr, "%s:%d: %s\n", __FILE__, __LINE__, #condition); \
            std::exit(1); \
        } \
    } while (0)

class Device : public zemtak::Sink {
public:
    std::set<std::uint64_t> textures;
    std::uint64_t made = 0;

    std::int32_t make_texture(const zemtak_new_texture &wanted, std::uint64_t &texture) noexcept override {
        HOLD(wanted.level_count > 0 && wanted.levels[0].bytes != nullptr);
        texture = ++made;
        textures.insert(texture);
        return 0;
    }

    bool fills_by_rows() const noexcept override { return true; }
    std::uint64_t rows = 0;
    std::int32_t make_empty(const zemtak_new_texture &wanted, std::uint64_t &texture) noexcept override { return make_texture(wanted, texture); }
    std::int32_t write_rows(std::uint64_t texture, const zemtak_rows &some) noexcept override {
        HOLD(textures.count(texture) == 1 && some.length > 0);
        rows += some.rows;
        return 0;
    }

    void drop_texture(std::uint64_t texture) noexcept override { HOLD(textures.erase(texture) == 1); }
};

int main(int, char **words) {
    Device device;
    zemtak::Lease last;
    {
        zemtak::Settings settings;
        settings.add_folder(words[1]);
        zemtak::Game game;
        HOLD(game.open(settings, device) == ZEMTAK_OK);

        zemtak::Lease moth = game.lease("night:moth/fly/03");
        HOLD(moth && !moth.is_ready() && !moth.view() && game.wait(moth) == ZEMTAK_OK && moth.is_ready());
        zemtak_placement at = zemtak::at(120, 64);
        at.scale[0] = at.scale[1] = 2;
        const auto quad = moth.quad(at);
        HOLD(quad && quad->positions[0][0] == 88 && quad->positions[2][1] == 106);
        HOLD(moth.part(20, 10, 8, 8).view() && !moth.part(0, 0, 2, 2));

        // Moved, not copied: one is given back.
        zemtak::Lease other = std::move(moth);
        moth = other.share();
        other.reset();
        HOLD(moth && !other && game.ledger().leases == 1);

        zemtak::Playing flying = game.lease_clip("night:moth/fly").play();
        HOLD(flying);
        game.wait(game.lease_all({"night:moth/fly/*"}));
        const zemtak_moment moment = flying.advance(250'000'000);
        HOLD(moment.drawn && moment.step == 2 && flying.quad(at));
        flying.events([](std::string_view event) { HOLD(!event.empty()); });

        zemtak::Lease lamp = game.lease("hall:lamp", "hall");
        HOLD(!lamp.layer("normal"));
        zemtak_per_frame little{};
        little.bytes = 1000;
        while (!lamp.is_ready()) game.pump(little);
        HOLD(device.rows > 0 && lamp.layer("normal") && !lamp.layer("glow") && lamp.point("light")->first == 7 && !lamp.point("hand"));
        HOLD(game.ledger_json().find("\"holder\":\"hall\"") != std::string::npos);
        HOLD(lamp.stretched(90, 70, false, at).size() == 9 && lamp.stretched(90, 70, true, at).size() > 9);
        zemtak::Batch batch = game.batch();
        batch.set_screen(-1000, -1000, 1000, 1000);
        batch.add(lamp, at), batch.add(flying, at, zemtak::look(2)), batch.add(lamp.stretched(90, 70, false, at));
        HOLD(batch.add({{lamp.handle(), at, zemtak::look(1, 255, 0, 0)}}) == ZEMTAK_OK);
        HOLD(batch.lay_out().quads == 12 && batch.lay_out().draw_count == 2 && batch.lay_out(true, true).length == 12 * 52);
        const zemtak::ClipLease land = game.lease_clip("night:moth/land");
        HOLD(game.wait(land) == ZEMTAK_OK && land.info()->steps > 0 && flying.go_over_to(land) == ZEMTAK_OK);
        HOLD(flying.seek(0) == ZEMTAK_OK && flying.set_speed(-1) == ZEMTAK_OK && flying.set_speed(1, 0) == ZEMTAK_OUT_OF_RANGE);

        zemtak_text error;
        HOLD(game.wait(game.lease("night:nobody"), &error) == ZEMTAK_FAILED);
        HOLD(zemtak::text_of(error).find("no sprite of that name") != std::string_view::npos);
        int loaded = 0;
        game.events([&](const zemtak_event &event) { loaded += event.kind == ZEMTAK_EVENT_LOADED; });
        HOLD(loaded > 0);
        game.trim();
        game.pump();
        flying.reset(), moth.reset(), lamp.reset(), batch.reset();
        HOLD(game.ledger().handles == 1); // the clip's
        last = game.lease("night:emblem");
    }
    // It outlives its game, and shows nothing.
    HOLD(last && !last.view());
    HOLD(device.made > 0 && device.textures.empty());
    std::puts("all as it should be");
}
