/* A game without a screen, and every wrong call that can be made: each is told by a code. */
#include "device.h"

#include <math.h>
#include <pthread.h>

static void open_game_filling(game *g, const zemtak_root *root, int32_t (*empty)(void *, const zemtak_new_texture *, uint64_t *),
                              int32_t (*rows)(void *, uint64_t, const zemtak_rows *)) {
    zemtak_settings settings = {root, 1, 2, 0, 0, {0, 0, 0, 0}};
    zemtak_sink sink;
    memset(&sink, 0, sizeof sink);
    sink.make_empty = empty, sink.write_rows = rows;
    open_game_with(g, &settings, &sink);
}

static void open_game(game *g, const zemtak_root *root) { open_game_filling(g, root, NULL, NULL); }

/* What the corners of a view show on its texture: as many pixels as are told, upright or turned, and not all transparent. */
static void look(const game *g, const zemtak_view *view) {
    const uint32_t *size = g->device.sizes[view->texture];
    const float *from = view->uvs[0], *to = view->uvs[2];
    uint32_t x[2], y[2], i, j, seen = 0;
    x[0] = (uint32_t)((from[0] < to[0] ? from[0] : to[0]) * (float)size[0] + 0.5f), x[1] = (uint32_t)((from[0] < to[0] ? to[0] : from[0]) * (float)size[0] + 0.5f);
    y[0] = (uint32_t)((from[1] < to[1] ? from[1] : to[1]) * (float)size[1] + 0.5f), y[1] = (uint32_t)((from[1] < to[1] ? to[1] : from[1]) * (float)size[1] + 0.5f);
    HOLD((x[1] - x[0]) * (y[1] - y[0]) == view->visible[2] * view->visible[3]);
    for (j = y[0]; j < y[1]; j++)
        for (i = x[0]; i < x[1]; i++) seen += g->device.pixels[view->texture][((uint64_t)j * size[0] + i) * 4 + 3] != 0;
    /* A sprite without a visible pixel is one transparent pixel. */
    HOLD(seen > 0 || view->visible[2] * view->visible[3] == 1);
}

/* Vertices and views tell the same corners, of every sprite, some of them turned. */
static void corners(game *g) {
    static const char *const all[] = {"night:**"};
    uint64_t set, lease;
    uint32_t i, turned = 0;
    zemtak_progress progress;
    zemtak_view view;
    zemtak_quad quad;
    zemtak_placement at = {{0, 0}, {1, 1}, 0, 0, false, false};
    char name[80];
    HOLD(zemtak_set_take(g->cache, all, 1, &set) == ZEMTAK_OK && zemtak_pump_wait(g->pump, g->cache, set, NULL) == ZEMTAK_OK);
    HOLD(zemtak_set_progress(g->cache, set, &progress) == ZEMTAK_OK && progress.total == 97);
    for (i = 0; i < progress.total; i++) {
        HOLD(zemtak_set_view(g->cache, set, i, &view) == ZEMTAK_OK);
        look(g, &view);
        turned += view.uvs[0][0] == view.uvs[1][0];
    }
    HOLD(turned > 0);
    for (i = 0; i < 6; i++) {
        snprintf(name, sizeof name, "night:moth/fly/%02u", (unsigned)i);
        HOLD(zemtak_lease_take(g->cache, name, &lease) == ZEMTAK_OK && zemtak_lease_quad(g->cache, lease, &at, &quad) == ZEMTAK_OK);
        HOLD(zemtak_lease_view(g->cache, lease, &view) == ZEMTAK_OK && !memcmp(quad.uvs, view.uvs, sizeof quad.uvs));
        HOLD(zemtak_lease_release(g->cache, lease) == ZEMTAK_OK);
    }
    HOLD(zemtak_set_release(g->cache, set) == ZEMTAK_OK);
}

/* The first lease and the first clip have the same place. */
static void kinds(game *g) {
    uint64_t lease, clip;
    HOLD(zemtak_lease_take(g->cache, "night:emblem", &lease) == ZEMTAK_OK && zemtak_clip_take(g->cache, "night:moth/fly", &clip) == ZEMTAK_OK);
    HOLD(lease != clip && zemtak_lease_release(g->cache, clip) == ZEMTAK_STALE && zemtak_clip_release(g->cache, lease) == ZEMTAK_STALE);
    HOLD(zemtak_lease_release(g->cache, lease) == ZEMTAK_OK && zemtak_clip_release(g->cache, clip) == ZEMTAK_OK);
}

static void sprites(game *g) {
    uint64_t moth, again, wing, none, missing;
    zemtak_view view;
    zemtak_quad quad;
    zemtak_placement at = {{120, 64}, {2, 2}, 0, 0, false, false};
    zemtak_text error;
    HOLD(zemtak_lease_take(g->cache, "night:moth/fly/03", &moth) == ZEMTAK_OK && moth != 0);
    HOLD(zemtak_lease_view(g->cache, moth, &view) == ZEMTAK_NOT_READY);
    HOLD(zemtak_pump_wait(g->pump, g->cache, moth, &error) == ZEMTAK_OK);
    HOLD(zemtak_lease_status(g->cache, moth, NULL) == ZEMTAK_OK);
    HOLD(zemtak_lease_view(g->cache, moth, &view) == ZEMTAK_OK);
    HOLD(view.canvas[0] == 64 && view.canvas[1] == 64 && view.visible[0] == 16 && view.visible[1] == 6 && !view.stand_in);
    look(g, &view);
    HOLD(zemtak_lease_quad(g->cache, moth, &at, &quad) == ZEMTAK_OK && quad.texture == view.texture);
    HOLD(quad.positions[0][0] == 88 && quad.positions[0][1] == 12 && quad.positions[2][0] == 152 && quad.positions[2][1] == 106);
    HOLD(zemtak_lease_share(g->cache, moth, &again) == ZEMTAK_OK && again != moth);
    HOLD(zemtak_id_of(g->cache, "night:moth/fly/03", &none) == ZEMTAK_OK && zemtak_lease_take_id(g->cache, moth, &wing) == ZEMTAK_STALE);
    HOLD(zemtak_lease_take_id(g->cache, none, &wing) == ZEMTAK_OK && zemtak_lease_status(g->cache, wing, NULL) == ZEMTAK_OK);
    HOLD(zemtak_lease_release(g->cache, wing) == ZEMTAK_OK);
    HOLD(zemtak_lease_part(g->cache, moth, 20, 10, 8, 8, &wing) == ZEMTAK_OK);
    HOLD(zemtak_lease_view(g->cache, wing, &view) == ZEMTAK_OK && view.visible[0] == 20 && view.visible[2] == 8);
    HOLD(zemtak_lease_part(g->cache, moth, 0, 0, 2, 2, &none) == ZEMTAK_NOTHING && none == 0);
    HOLD(zemtak_lease_release(g->cache, moth) == ZEMTAK_OK);
    HOLD(zemtak_lease_release(g->cache, moth) == ZEMTAK_STALE);
    HOLD(zemtak_lease_view(g->cache, moth, &view) == ZEMTAK_STALE);
    HOLD(zemtak_lease_release(g->cache, again) == ZEMTAK_OK && zemtak_lease_release(g->cache, wing) == ZEMTAK_OK);
    /* The place is taken anew, and the old number still means nothing. */
    HOLD(zemtak_lease_take(g->cache, "night:moth/fly/33", &missing) == ZEMTAK_OK && missing != moth && missing != wing);
    HOLD(zemtak_lease_status(g->cache, wing, NULL) == ZEMTAK_STALE);
    HOLD(zemtak_pump_wait(g->pump, g->cache, missing, &error) == ZEMTAK_FAILED);
    HOLD(strstr((const char *)error.text, "no sprite of that name") != NULL);
    HOLD(zemtak_lease_release(g->cache, missing) == ZEMTAK_OK);
}

static void clips(game *g) {
    uint64_t clip, playing;
    zemtak_moment moment;
    zemtak_quad quad;
    zemtak_placement at = {{0, 0}, {1, 1}, 0, 0, false, false};
    zemtak_text event;
    HOLD(zemtak_clip_take(g->cache, "night:moth/fly", &clip) == ZEMTAK_OK);
    HOLD(zemtak_pump_wait(g->pump, g->cache, clip, NULL) == ZEMTAK_OK && zemtak_clip_status(g->cache, clip, NULL) == ZEMTAK_OK);
    HOLD(zemtak_playing_take(g->cache, clip, 1, 0, 0, &playing) == ZEMTAK_OUT_OF_RANGE);
    HOLD(zemtak_playing_take(g->cache, clip, 1, 1, 0, &playing) == ZEMTAK_OK);
    HOLD(zemtak_clip_release(g->cache, clip) == ZEMTAK_OK); /* what plays holds it */
    HOLD(zemtak_playing_advance(g->cache, playing, 250000000, &moment) == ZEMTAK_OK);
    HOLD(moment.step == 2 && moment.drawn && !moment.ended && moment.played == 0);
    look(g, &moment.view);
    HOLD(zemtak_playing_quad(g->cache, playing, &at, &quad) == ZEMTAK_OK && quad.texture == moment.view.texture);
    HOLD(zemtak_playing_event(g->cache, playing, moment.event_count, &event) == ZEMTAK_OUT_OF_RANGE);
    HOLD(zemtak_lease_release(g->cache, playing) == ZEMTAK_STALE); /* of another kind */
    HOLD(zemtak_playing_release(g->cache, playing) == ZEMTAK_OK);
    HOLD(zemtak_playing_advance(g->cache, playing, 1, &moment) == ZEMTAK_STALE);
}

static void sets_and_events(game *g) {
    static const char *const names[] = {"night:lantern/**", "night:emblem"};
    uint64_t set;
    int opened = 0, loaded = 0;
    zemtak_progress progress;
    zemtak_view view;
    zemtak_event event;
    zemtak_pumped pumped;
    HOLD(zemtak_set_take(g->cache, names, 2, &set) == ZEMTAK_OK);
    HOLD(zemtak_pump_wait(g->pump, g->cache, set, NULL) == ZEMTAK_OK);
    HOLD(zemtak_set_progress(g->cache, set, &progress) == ZEMTAK_OK && progress.complete && progress.done == progress.total && progress.total > 2);
    HOLD(zemtak_set_view(g->cache, set, 0, &view) == ZEMTAK_OK && zemtak_set_view(g->cache, set, progress.total, &view) == ZEMTAK_NOT_READY);
    HOLD(zemtak_set_release(g->cache, set) == ZEMTAK_OK && zemtak_set_release(g->cache, set) == ZEMTAK_STALE);
    HOLD(zemtak_cache_trim(g->cache) == ZEMTAK_OK && zemtak_pump_run(g->pump, NULL, &pumped) == ZEMTAK_OK);
    while (zemtak_cache_next_event(g->cache, &event) == ZEMTAK_OK) {
        opened += event.kind == ZEMTAK_EVENT_OPENED && !strcmp((const char *)event.text, "night");
        loaded += event.kind == ZEMTAK_EVENT_LOADED && event.bytes > 0;
    }
    HOLD(opened == 1 && loaded >= 1);
}

/* A lamp with a normal map, a point and bands that keep their size. */
static void details(game *g) {
    uint64_t lamp, moth, normal = 0;
    zemtak_view view;
    zemtak_quad quads[9], none;
    zemtak_placement at = {{0, 0}, {1, 1}, 0, 0, false, false};
    uint32_t count, i;
    double x, y, area = 0;
    HOLD(zemtak_lease_take(g->cache, "hall:lamp", &lamp) == ZEMTAK_OK);
    HOLD(zemtak_lease_layer(g->cache, lamp, "normal", &normal) == ZEMTAK_NOT_READY);
    HOLD(zemtak_lease_stretched(g->cache, lamp, 90, 70, false, &at, quads, 9, &count) == ZEMTAK_NOT_READY && count == 0);
    HOLD(zemtak_pump_wait(g->pump, g->cache, lamp, NULL) == ZEMTAK_OK && zemtak_lease_view(g->cache, lamp, &view) == ZEMTAK_OK);
    HOLD(zemtak_lease_layer(g->cache, lamp, "normal", &normal) == ZEMTAK_OK && normal != view.texture && g->device.pixels[normal] != NULL);
    HOLD(zemtak_lease_layer(g->cache, lamp, "glow", &normal) == ZEMTAK_NOTHING);
    HOLD(zemtak_lease_point(g->cache, lamp, "light", &x, &y) == ZEMTAK_OK && x == 7 && y == 5);
    HOLD(zemtak_lease_point(g->cache, lamp, "hand", &x, &y) == ZEMTAK_NOTHING);
    HOLD(zemtak_lease_stretched(g->cache, lamp, 90, 70, false, &at, quads, 9, &count) == ZEMTAK_OK && count == 9);
    for (i = 0; i < count; i++) area += (double)(quads[i].positions[2][0] - quads[i].positions[0][0]) * (quads[i].positions[2][1] - quads[i].positions[0][1]);
    /* Two columns at each side and a row above and below are border, which is not stored: 86 x 68 are drawn. */
    HOLD(view.visible[0] == 2 && view.visible[1] == 1 && area == 86 * 68);
    HOLD(quads[0].positions[0][0] == -43 && quads[0].positions[1][0] == -41);
    HOLD(zemtak_lease_stretched(g->cache, lamp, 90, 70, true, &at, &none, 1, &count) == ZEMTAK_OK && count > 9);
    HOLD(zemtak_lease_stretched(g->cache, lamp, -1, 70, true, &at, &none, 1, &count) == ZEMTAK_OUT_OF_RANGE);
    HOLD(zemtak_lease_stretched(g->cache, lamp, 90, INFINITY, false, &at, &none, 1, &count) == ZEMTAK_OUT_OF_RANGE && count == 0);
    HOLD(zemtak_lease_stretched(g->cache, lamp, 0, 70, false, &at, NULL, 0, &count) == ZEMTAK_OK && count == 0);
    HOLD(zemtak_lease_stretched(g->cache, lamp, 90, 70, false, &at, NULL, 0, &count) == ZEMTAK_OK && count == 9);
    HOLD(zemtak_lease_release(g->cache, lamp) == ZEMTAK_OK && zemtak_lease_layer(g->cache, lamp, "normal", &normal) == ZEMTAK_STALE);
    HOLD(zemtak_id_of(g->cache, "night:emblem", &moth) == ZEMTAK_OK && zemtak_lease_view(g->cache, moth, &view) == ZEMTAK_STALE);
}

/* Many sprites in few draws: their vertices are those of their quads. */
static void batches(game *g) {
    static const char *const names[] = {"night:emblem", "hall:lamp", "night:moth/fly/03"};
    uint64_t batch, clip, playing;
    zemtak_sprite sprites[3];
    zemtak_laid_out laid_out;
    zemtak_moment moment;
    zemtak_quad quad;
    float screen[4] = {-1000, -1000, 1000, 1000}, vertex[4];
    uint16_t indices[12];
    uint32_t i, corner;
    memset(sprites, 0, sizeof sprites);
    for (i = 0; i < 3; i++) {
        HOLD(zemtak_lease_take(g->cache, names[i], &sprites[i].lease) == ZEMTAK_OK);
        HOLD(zemtak_pump_wait(g->pump, g->cache, sprites[i].lease, NULL) == ZEMTAK_OK);
        sprites[i].at.at[0] = 100 * i, sprites[i].at.scale[0] = sprites[i].at.scale[1] = 1;
    }
    sprites[2].look.layer = -1, sprites[2].look.tint[0] = sprites[2].look.tint[3] = 255;
    HOLD(zemtak_batch_take(g->cache, &batch) == ZEMTAK_OK && zemtak_batch_set_screen(g->cache, batch, screen) == ZEMTAK_OK);
    HOLD(zemtak_batch_add(g->cache, batch, NULL, 0) == ZEMTAK_OK && zemtak_batch_add(g->cache, batch, NULL, 1) == ZEMTAK_NULL);
    HOLD(zemtak_batch_add(g->cache, batch, sprites, 3) == ZEMTAK_OK && zemtak_batch_lay_out(g->cache, batch, true, false, &laid_out) == ZEMTAK_OK);
    HOLD(laid_out.quads == 3 && laid_out.length == 3 * 4 * 20 && laid_out.draw_count == 2 && laid_out.culled == 0);
    HOLD(zemtak_lease_quad(g->cache, sprites[2].lease, &sprites[2].at, &quad) == ZEMTAK_OK && laid_out.draws[0].texture == quad.texture);
    for (corner = 0; corner < 4; corner++) {
        memcpy(vertex, laid_out.bytes + corner * 20, sizeof vertex);
        HOLD(vertex[0] == quad.positions[corner][0] && vertex[1] == quad.positions[corner][1]);
        HOLD(vertex[2] == quad.uvs[corner][0] && vertex[3] == quad.uvs[corner][1]);
        HOLD(!memcmp(laid_out.bytes + corner * 20 + 16, sprites[2].look.tint, 4));
    }
    HOLD(!memcmp(laid_out.bytes + 80 + 16, "\xff\xff\xff\xff", 4)); /* four zeros stand for white */
    HOLD(zemtak_batch_lay_out(g->cache, batch, false, true, &laid_out) == ZEMTAK_OK && laid_out.length == 3 * 52);
    /* What plays, quads, and what lies outside. */
    HOLD(zemtak_clip_take(g->cache, "night:moth/fly", &clip) == ZEMTAK_OK && zemtak_pump_wait(g->pump, g->cache, clip, NULL) == ZEMTAK_OK);
    HOLD(zemtak_playing_take(g->cache, clip, 1, 1, 0, &playing) == ZEMTAK_OK && zemtak_playing_advance(g->cache, playing, 1, &moment) == ZEMTAK_OK);
    HOLD(zemtak_batch_clear(g->cache, batch) == ZEMTAK_OK);
    HOLD(zemtak_batch_add_playing(g->cache, batch, playing, &sprites[0].at, NULL) == ZEMTAK_OK);
    HOLD(zemtak_batch_add_quads(g->cache, batch, &quad, 1, &sprites[2].look) == ZEMTAK_OK);
    sprites[0].at.at[0] = 5000;
    HOLD(zemtak_batch_add(g->cache, batch, sprites, 1) == ZEMTAK_OK && zemtak_batch_lay_out(g->cache, batch, false, false, &laid_out) == ZEMTAK_OK);
    HOLD(laid_out.quads == 2 && laid_out.culled == 1);
    HOLD(zemtak_batch_indices(indices, 2) == ZEMTAK_OK && indices[6] == 4 && indices[11] == 7 && zemtak_batch_indices(indices, 16385) == ZEMTAK_OUT_OF_RANGE);
    HOLD(zemtak_playing_release(g->cache, playing) == ZEMTAK_OK && zemtak_clip_release(g->cache, clip) == ZEMTAK_OK);
    /* With one that was given back none is added. */
    for (i = 0; i < 3; i++) HOLD(zemtak_lease_release(g->cache, sprites[i].lease) == ZEMTAK_OK);
    HOLD(zemtak_batch_clear(g->cache, batch) == ZEMTAK_OK && zemtak_batch_add(g->cache, batch, sprites, 3) == ZEMTAK_STALE);
    HOLD(zemtak_batch_lay_out(g->cache, batch, false, false, &laid_out) == ZEMTAK_OK && laid_out.quads == 0);
    HOLD(zemtak_batch_release(g->cache, batch) == ZEMTAK_OK && zemtak_batch_release(g->cache, batch) == ZEMTAK_STALE);
    HOLD(zemtak_batch_clear(g->cache, batch) == ZEMTAK_STALE);
}

static void count_clip(void *to, const char *name, const zemtak_clip_details *info) {
    if (strcmp(name, "night:moth/fly")) return;
    HOLD(info->steps == 8 && info->mode == 0);
    *(uint64_t *)to = info->nanoseconds;
}

/* Another speed, another place, another clip. */
static void playing_on(game *g) {
    uint64_t fly, land, playing, length = 0;
    zemtak_clip_details info;
    zemtak_moment moment;
    HOLD(zemtak_cache_clips(g->cache, "night", NULL, NULL, NULL) == ZEMTAK_NULL);
    HOLD(zemtak_cache_clips(g->cache, "night", count_clip, &length, NULL) == ZEMTAK_OK && length == 800000000);
    HOLD(zemtak_clip_take(g->cache, "night:moth/fly", &fly) == ZEMTAK_OK && zemtak_clip_take(g->cache, "night:moth/land", &land) == ZEMTAK_OK);
    HOLD(zemtak_clip_info(g->cache, fly, &info) == ZEMTAK_OK && info.nanoseconds == length);
    HOLD(zemtak_playing_take(g->cache, fly, 1, 1, 0, &playing) == ZEMTAK_OK && zemtak_playing_set_speed(g->cache, playing, 2, 1) == ZEMTAK_OK);
    HOLD(zemtak_playing_advance(g->cache, playing, 150000000, &moment) == ZEMTAK_OK && moment.step == 3);
    HOLD(zemtak_playing_seek(g->cache, playing, 100000000) == ZEMTAK_OK);
    HOLD(zemtak_playing_advance(g->cache, playing, 0, &moment) == ZEMTAK_OK && moment.step == 1 && moment.played == 0);
    HOLD(zemtak_playing_go_over_to(g->cache, playing, land) == ZEMTAK_OK && zemtak_playing_go_over_to(g->cache, playing, playing) == ZEMTAK_STALE);
    HOLD(zemtak_playing_advance(g->cache, playing, 0, &moment) == ZEMTAK_OK && zemtak_playing_set_speed(g->cache, playing, 1, 0) == ZEMTAK_OUT_OF_RANGE);
    HOLD(zemtak_playing_release(g->cache, playing) == ZEMTAK_OK);
    HOLD(zemtak_clip_release(g->cache, fly) == ZEMTAK_OK && zemtak_clip_release(g->cache, land) == ZEMTAK_OK);
}

/* Who holds what is told by name; a second pointer leads to the same cache. */
static void holders(game *g) {
    zemtak_cache *meadow;
    uint64_t moth, length, all;
    char *json;
    HOLD(zemtak_cache_named(g->cache, "meadow", &meadow) == ZEMTAK_OK && zemtak_lease_take(meadow, "night:emblem", &moth) == ZEMTAK_OK);
    HOLD(zemtak_cache_ledger_json(g->cache, NULL, 0, &length) == ZEMTAK_OUT_OF_RANGE && length > 100);
    HOLD((json = (char *)malloc(length)) != NULL && zemtak_cache_ledger_json(g->cache, json, length, &all) == ZEMTAK_OK && all == length);
    HOLD(strlen(json) + 1 == length && strstr(json, "\"sprite\":\"night:emblem\",\"holder\":\"meadow\"") != NULL);
    free(json);
    HOLD(zemtak_cache_close(&meadow) == ZEMTAK_OK && zemtak_lease_release(g->cache, moth) == ZEMTAK_OK);
}

/* A page that is filled over several frames has the pixels of one that was made at once. */
static int32_t make_empty(void *user, const zemtak_new_texture *new_texture, uint64_t *texture) {
    device *of = (device *)user;
    const int32_t code = make_texture(user, new_texture, texture);
    if (code == 0) memset(of->pixels[*texture], 0, new_texture->levels->length);
    return code;
}

static int32_t write_rows(void *user, uint64_t texture, const zemtak_rows *rows) {
    device *of = (device *)user;
    HOLD(rows->level == 0 && rows->kind == 0 && rows->length == (uint64_t)rows->width * rows->rows * 4);
    memcpy(of->pixels[texture] + (uint64_t)rows->first * rows->width * 4, rows->bytes, rows->length);
    return of->fails ? 7 : 0;
}

static void by_strips(const game *whole, const zemtak_root *root) {
    game g;
    uint64_t moth, at_once;
    uint32_t frames = 0;
    zemtak_per_frame little = {1, 20000, 0};
    zemtak_view view;
    zemtak_text error;
    open_game_filling(&g, root, make_empty, write_rows);
    HOLD(zemtak_lease_take(g.cache, "night:emblem", &moth) == ZEMTAK_OK);
    for (; zemtak_lease_view(g.cache, moth, &view) == ZEMTAK_NOT_READY; frames++) HOLD(zemtak_pump_run(g.pump, &little, NULL) == ZEMTAK_OK);
    HOLD(frames > 2 && zemtak_lease_take(whole->cache, "night:emblem", &at_once) == ZEMTAK_OK);
    HOLD(zemtak_pump_wait(whole->pump, whole->cache, at_once, NULL) == ZEMTAK_OK);
    {
        zemtak_view same;
        HOLD(zemtak_lease_view(whole->cache, at_once, &same) == ZEMTAK_OK);
        HOLD(!memcmp(g.device.pixels[view.texture], whole->device.pixels[same.texture], (size_t)g.device.sizes[view.texture][0] * g.device.sizes[view.texture][1] * 4));
    }
    HOLD(zemtak_lease_release(whole->cache, at_once) == ZEMTAK_OK && zemtak_lease_release(g.cache, moth) == ZEMTAK_OK);
    /* One that cannot be filled is told, and dropped. */
    g.device.fails = true;
    HOLD(zemtak_lease_take(g.cache, "hall:lamp", &moth) == ZEMTAK_OK);
    for (frames = 0; zemtak_lease_status(g.cache, moth, &error) == ZEMTAK_NOT_READY; frames++) {
        little.bytes = 64;
        HOLD(zemtak_pump_run(g.pump, &little, NULL) == ZEMTAK_OK);
    }
    HOLD(strstr((const char *)error.text, "code 7") != NULL && zemtak_lease_release(g.cache, moth) == ZEMTAK_OK);
    close_game(&g);
}

/* A cache that is closed before its pump gives back what is still leased: the pump drops it. */
static void closed_first(const zemtak_root *root) {
    game g;
    zemtak_cache *meadow;
    uint64_t moth;
    open_game(&g, root);
    HOLD(zemtak_cache_named(g.cache, "meadow", &meadow) == ZEMTAK_OK && zemtak_lease_take(meadow, "night:emblem", &moth) == ZEMTAK_OK);
    HOLD(zemtak_pump_wait(g.pump, g.cache, moth, NULL) == ZEMTAK_OK && zemtak_cache_trim(g.cache) == ZEMTAK_OK);
    HOLD(zemtak_cache_close(&g.cache) == ZEMTAK_OK && zemtak_pump_run(g.pump, NULL, NULL) == ZEMTAK_OK);
    HOLD(g.device.made == 1 && g.device.dropped == 0); /* the other pointer holds it */
    HOLD(zemtak_cache_trim(meadow) == ZEMTAK_OK && zemtak_cache_close(&meadow) == ZEMTAK_OK);
    HOLD(zemtak_pump_run(g.pump, NULL, NULL) == ZEMTAK_OK && g.device.dropped == 1);
    HOLD(zemtak_pump_close(&g.pump) == ZEMTAK_OK);
}

/* A call that fails leaves no number behind that could be taken for a handle. */
static void nothing_is_given(game *g) {
    uint64_t handle = 9;
    uint32_t count = 9;
    zemtak_quad quad;
    zemtak_placement at = {{0, 0}, {1, 1}, 0, 0, false, false};
    static const char *const bad[] = {"\xff"};
    HOLD(zemtak_lease_share(g->cache, 0, &handle) == ZEMTAK_STALE && handle == 0);
    handle = 9;
    HOLD(zemtak_lease_take_id(g->cache, UINT64_MAX, &handle) == ZEMTAK_STALE && handle == 0);
    handle = 9;
    HOLD(zemtak_lease_part(g->cache, 0, 0, 0, 1, 1, &handle) == ZEMTAK_STALE && handle == 0);
    handle = 9;
    HOLD(zemtak_playing_take(g->cache, 0, 1, 1, 0, &handle) == ZEMTAK_STALE && handle == 0);
    handle = 9;
    HOLD(zemtak_set_take(g->cache, bad, 1, &handle) == ZEMTAK_NOT_UTF8 && handle == 0);
    HOLD(zemtak_lease_stretched(g->cache, 0, 9, 9, false, &at, &quad, 1, &count) == ZEMTAK_STALE && count == 0);
}

static void wrong(game *g) {
    uint64_t lease;
    zemtak_settings settings;
    zemtak_sink sink;
    zemtak_cache *cache = NULL;
    zemtak_pump *pump = NULL;
    memset(&settings, 0, sizeof settings);
    memset(&sink, 0, sizeof sink);
    HOLD(zemtak_cache_open(NULL, &sink, &cache, &pump) == ZEMTAK_NULL && zemtak_cache_open(&settings, &sink, &cache, &pump) == ZEMTAK_NULL);
    HOLD(zemtak_cache_open(&settings, &sink, NULL, &pump) == ZEMTAK_NULL && cache == NULL && pump == NULL);
    cache = g->cache, pump = g->pump;
    HOLD(zemtak_cache_open(&settings, &sink, &cache, &pump) == ZEMTAK_NULL && cache == NULL && pump == NULL);
    nothing_is_given(g);
    HOLD(zemtak_lease_take(NULL, "a", &lease) == ZEMTAK_NULL && zemtak_lease_take(g->cache, NULL, &lease) == ZEMTAK_NULL);
    HOLD(zemtak_lease_take(g->cache, "a", NULL) == ZEMTAK_NULL && zemtak_lease_take(g->cache, "\xff", &lease) == ZEMTAK_NOT_UTF8);
    HOLD(zemtak_lease_release(g->cache, 0) == ZEMTAK_STALE && zemtak_lease_release(g->cache, UINT64_MAX) == ZEMTAK_STALE);
    HOLD(zemtak_pump_run(NULL, NULL, NULL) == ZEMTAK_NULL && zemtak_cache_trim(NULL) == ZEMTAK_NULL);
}

static void *elsewhere(void *data) {
    game *g = (game *)data;
    int i;
    HOLD(zemtak_pump_run(g->pump, NULL, NULL) == ZEMTAK_WRONG_THREAD);
    for (i = 0; i < 400; i++) {
        char name[40];
        uint64_t lease, part;
        zemtak_view view;
        snprintf(name, sizeof name, "night:moth/fly/%02d", i % 6);
        HOLD(zemtak_lease_take(g->cache, name, &lease) == ZEMTAK_OK);
        zemtak_lease_view(g->cache, lease, &view);
        if (zemtak_lease_part(g->cache, lease, 20, 20, 9, 9, &part) == ZEMTAK_OK) HOLD(zemtak_lease_release(g->cache, part) == ZEMTAK_OK);
        HOLD(zemtak_lease_release(g->cache, lease) == ZEMTAK_OK);
    }
    return NULL;
}

static void threads(game *g) {
    pthread_t all[4];
    int i;
    /* Without the pump: it is looked at from elsewhere, which tells and touches nothing. */
    for (i = 0; i < 4; i++) HOLD(pthread_create(&all[i], NULL, elsewhere, g) == 0);
    for (i = 0; i < 4; i++) HOLD(pthread_join(all[i], NULL) == 0);
    for (i = 0; i < 1000; i++) {
        bool idle = false;
        HOLD(zemtak_pump_run(g->pump, NULL, NULL) == ZEMTAK_OK && zemtak_cache_is_idle(g->cache, &idle) == ZEMTAK_OK);
        if (idle) return;
    }
    HOLD(!"it is never idle");
}

int main(int count, char **words) {
    zemtak_root folder = {NULL, NULL}, own = {NULL, NULL};
    zemtak_files files = {NULL, stamp_file, read_file, NULL};
    const zemtak_root *roots[2] = {&folder, &own};
    int i;
    HOLD(count == 2);
    folder.folder = words[1], files.user = words[1], own.files = &files;
    for (i = 0; i < 2; i++) {
        game g;
        open_game(&g, roots[i]);
        kinds(&g);
        sprites(&g);
        clips(&g);
        corners(&g);
        sets_and_events(&g);
        details(&g);
        batches(&g);
        playing_on(&g);
        holders(&g);
        by_strips(&g, roots[i]);
        closed_first(roots[i]);
        wrong(&g);
        threads(&g);
        close_game(&g);
    }
    puts("all as it should be");
    return 0;
}
