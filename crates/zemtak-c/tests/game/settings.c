/* What a game may set, what its device is told of each texture, and what changes while the game runs. */
#include "device.h"

#include <dirent.h>
#include <unistd.h>

static const zemtak_sink NO_MORE;

static zemtak_settings of(const zemtak_root *root) {
    zemtak_settings settings = {root, 1, 2, 0, 0, {0, 0, 0, 0}};
    return settings;
}

static uint64_t taken(game *g, const char *name) {
    uint64_t lease;
    HOLD(zemtak_lease_take(g->cache, name, &lease) == ZEMTAK_OK);
    return lease;
}

/* The texture of a sprite that can be drawn. */
static uint64_t texture_of(game *g, uint64_t lease) {
    zemtak_view view;
    zemtak_text error;
    const enum zemtak_code code = zemtak_pump_wait(g->pump, g->cache, lease, &error);
    if (code != ZEMTAK_OK) fprintf(stderr, "%s\n", code == ZEMTAK_FAILED ? (const char *)error.text : "not waited for");
    HOLD(code == ZEMTAK_OK && zemtak_lease_view(g->cache, lease, &view) == ZEMTAK_OK);
    return view.texture;
}

static void given_back(game *g, uint64_t lease) { HOLD(zemtak_lease_release(g->cache, lease) == ZEMTAK_OK); }

/* A page's sampling is what its project says; blocks go to devices that take them. */
static void textures(const zemtak_root *root, bool takes_blocks) {
    static const struct {
        const char *name, *label;
        uint32_t kind, filter, wrap;
        bool premultiplied;
    } all[] = {
        {"night:emblem", "night-0.png", 0, 0, 0, false},
        {"pond:lily/1", "pond-0.png", 0, 1, 0, true},
        {"pond:water", "pond-1.png", 0, 1, 2, true},
        {"stone:slab", "stone-0.ktx2", 3, 0, 0, false},
    };
    zemtak_settings settings = of(root);
    zemtak_sink sink = NO_MORE;
    game g;
    size_t i;
    uint64_t lamp, normal;
    sink.takes_blocks = takes_blocks;
    open_game_with(&g, &settings, &sink);
    for (i = 0; i < sizeof all / sizeof *all; i++) {
        const uint64_t lease = taken(&g, all[i].name), texture = texture_of(&g, lease);
        const zemtak_new_texture *told = &g.device.told[texture];
        HOLD(strcmp(g.device.labels[texture], all[i].label) == 0 && !g.device.layers[texture][0]);
        HOLD(told->kind == (takes_blocks ? all[i].kind : 0) && told->filter == all[i].filter && told->wrap == all[i].wrap);
        HOLD(told->premultiplied == all[i].premultiplied && !told->linear);
        given_back(&g, lease);
    }
    lamp = taken(&g, "hall:lamp");
    texture_of(&g, lamp);
    HOLD(zemtak_lease_layer(g.cache, lamp, "normal", &normal) == ZEMTAK_OK);
    HOLD(strcmp(g.device.layers[normal], "normal") == 0 && g.device.told[normal].linear && !g.device.told[normal].premultiplied);
    given_back(&g, lamp);
    close_game(&g);
}

/* A device may be too small. */
static void largest_side(const zemtak_root *root) {
    zemtak_settings settings = of(root);
    zemtak_sink sink = NO_MORE;
    zemtak_text error;
    uint64_t lamp, emblem;
    game g;
    sink.largest_side = 128;
    open_game_with(&g, &settings, &sink);
    emblem = taken(&g, "night:emblem"), lamp = taken(&g, "hall:lamp");
    HOLD(zemtak_pump_wait(g.pump, g.cache, emblem, &error) == ZEMTAK_FAILED && strstr((const char *)error.text, "512 x 512 pixels are more") != NULL);
    texture_of(&g, lamp);
    given_back(&g, emblem), given_back(&g, lamp);
    close_game(&g);
}

static void budget(const zemtak_root *root, uint64_t bytes) {
    zemtak_settings settings = of(root);
    zemtak_pumped pumped;
    uint64_t moth;
    game g;
    settings.budget = bytes;
    open_game_with(&g, &settings, &NO_MORE);
    moth = taken(&g, "night:emblem");
    texture_of(&g, moth), given_back(&g, moth);
    HOLD(zemtak_pump_run(g.pump, NULL, &pumped) == ZEMTAK_OK && pumped.dropped == (bytes ? 1 : 0) && g.device.dropped == (bytes ? 1 : 0));
    HOLD(zemtak_cache_set_budget(g.cache, 1) == ZEMTAK_OK && zemtak_pump_run(g.pump, NULL, &pumped) == ZEMTAK_OK);
    HOLD(pumped.dropped == (bytes ? 0 : 1) && g.device.dropped == 1);
    close_game(&g);
}

static void stand_in(const zemtak_root *root) {
    zemtak_settings settings = of(root);
    static const uint8_t colour[4] = {9, 8, 7, 255};
    zemtak_view view;
    uint64_t nobody;
    game g;
    memcpy(settings.stand_in, colour, 4);
    open_game_with(&g, &settings, &NO_MORE);
    nobody = taken(&g, "night:nobody");
    HOLD(zemtak_pump_wait(g.pump, g.cache, nobody, NULL) == ZEMTAK_FAILED);
    HOLD(zemtak_lease_view(g.cache, nobody, &view) == ZEMTAK_OK && view.stand_in && !memcmp(g.device.pixels[view.texture], colour, 4));
    given_back(&g, nobody);
    close_game(&g);
}

static int threads_now(void) {
    int count = 0;
    DIR *all = opendir("/proc/self/task");
    HOLD(all != NULL);
    while (readdir(all)) count++;
    closedir(all);
    return count;
}

/* Without workers the pump decodes, and what a frame does is known. */
static void per_frame(const zemtak_root *root) {
    static const char *const names[] = {"night:emblem", "loose/a.png", "pond:lily/1"};
    zemtak_settings settings = of(root);
    zemtak_per_frame frame = {0, 0, 0};
    zemtak_pumped pumped;
    uint64_t leases[3];
    int before, i;
    game g;
    before = threads_now();
    settings.workers = 3;
    open_game_with(&g, &settings, &NO_MORE);
    HOLD(threads_now() == before + 3);
    leases[0] = taken(&g, names[0]), texture_of(&g, leases[0]), given_back(&g, leases[0]);
    close_game(&g);
    before = threads_now(), settings.workers = -1;
    open_game_with(&g, &settings, &NO_MORE);
    HOLD(threads_now() == before);
    for (i = 0; i < 3; i++) leases[i] = taken(&g, names[i]);
    /* All in one frame. */
    frame.microseconds = 60000000;
    HOLD(zemtak_pump_run(g.pump, &frame, &pumped) == ZEMTAK_OK && pumped.made == 3 && g.device.made == 3 && pumped.ready == 0);
    /* The device is lost, and all is made again: a microsecond is over after the first. */
    g.device.dropped = g.device.made;
    HOLD(zemtak_pump_device_lost(g.pump) == ZEMTAK_OK);
    for (i = 0; i < 3; i++) free(g.device.pixels[i]), g.device.pixels[i] = NULL;
    frame.microseconds = 1;
    HOLD(zemtak_pump_run(g.pump, &frame, &pumped) == ZEMTAK_OK && pumped.made == 1);
    frame.microseconds = 60000000, frame.uploads = 1;
    HOLD(zemtak_pump_run(g.pump, &frame, &pumped) == ZEMTAK_OK && pumped.made == 1);
    frame.uploads = 2;
    HOLD(zemtak_pump_run(g.pump, &frame, &pumped) == ZEMTAK_OK && pumped.made == 1 && g.device.made == 6);
    for (i = 0; i < 3; i++) {
        HOLD(zemtak_lease_status(g.cache, leases[i], NULL) == ZEMTAK_OK);
        given_back(&g, leases[i]);
    }
    close_game(&g);
}

/* A clip's words for the game. */
static void events(const zemtak_root *root) {
    zemtak_settings settings = of(root);
    zemtak_moment moment;
    zemtak_text event;
    uint64_t clip, playing;
    game g;
    open_game_with(&g, &settings, &NO_MORE);
    HOLD(zemtak_clip_take(g.cache, "pond:lily", &clip) == ZEMTAK_OK && zemtak_pump_wait(g.pump, g.cache, clip, NULL) == ZEMTAK_OK);
    HOLD(zemtak_playing_take(g.cache, clip, 1, 1, 0, &playing) == ZEMTAK_OK);
    HOLD(zemtak_playing_advance(g.cache, playing, 150000000, &moment) == ZEMTAK_OK && moment.step == 1 && moment.event_count == 2);
    HOLD(zemtak_playing_event(g.cache, playing, 0, &event) == ZEMTAK_OK && strcmp((const char *)event.text, "open") == 0);
    HOLD(zemtak_playing_event(g.cache, playing, 1, &event) == ZEMTAK_OK && strcmp((const char *)event.text, "ring") == 0);
    HOLD(zemtak_playing_advance(g.cache, playing, 1, &moment) == ZEMTAK_OK && moment.event_count == 0);
    HOLD(zemtak_playing_release(g.cache, playing) == ZEMTAK_OK && zemtak_clip_release(g.cache, clip) == ZEMTAK_OK);
    close_game(&g);
}

/* Another name for a sprite, and a sprite that was not there at first. */
static void names(const zemtak_root *root) {
    zemtak_settings settings = of(root);
    zemtak_text error;
    zemtak_ledger ledger;
    uint64_t hero, emblem, late;
    const char *folder = root->folder ? root->folder : (const char *)root->files->user;
    char from[1024], to[1024];
    game g;
    open_game_with(&g, &settings, &NO_MORE);
    HOLD(zemtak_cache_alias(g.cache, "hero", "night:emblem", &error) == ZEMTAK_OK);
    hero = taken(&g, "hero"), emblem = taken(&g, "night:emblem");
    HOLD(texture_of(&g, hero) == texture_of(&g, emblem));
    HOLD(zemtak_cache_alias(g.cache, "hero", "hero", &error) == ZEMTAK_FAILED && strlen((const char *)error.text) > 5);
    late = taken(&g, "late.png");
    HOLD(zemtak_pump_wait(g.pump, g.cache, late, NULL) == ZEMTAK_FAILED);
    HOLD(zemtak_cache_ledger(g.cache, &ledger) == ZEMTAK_OK && ledger.failures == 1 && ledger.leases == 3 && ledger.handles == 3);
    snprintf(from, sizeof from, "%s/loose/a.png", folder);
    snprintf(to, sizeof to, "%s/late.png", folder);
    HOLD(link(from, to) == 0);
    HOLD(zemtak_cache_retry_all(g.cache) == ZEMTAK_OK);
    texture_of(&g, late);
    HOLD(unlink(to) == 0);
    given_back(&g, hero), given_back(&g, emblem), given_back(&g, late);
    close_game(&g);
}

/* How many handles there are, of every kind. */
static void handles(const zemtak_root *root) {
    static const char *const all[] = {"loose/*.png"};
    zemtak_settings settings = of(root);
    zemtak_progress progress;
    zemtak_ledger ledger;
    zemtak_text error;
    uint64_t lease, set, clip, playing, batch;
    game g;
    open_game_with(&g, &settings, &NO_MORE);
    lease = taken(&g, "night:emblem");
    HOLD(zemtak_clip_take(g.cache, "pond:lily", &clip) == ZEMTAK_OK && zemtak_pump_wait(g.pump, g.cache, clip, NULL) == ZEMTAK_OK);
    HOLD(zemtak_playing_take(g.cache, clip, 1, 1, 0, &playing) == ZEMTAK_OK && zemtak_batch_take(g.cache, &batch) == ZEMTAK_OK);
    HOLD(zemtak_cache_ledger(g.cache, &ledger) == ZEMTAK_OK && ledger.handles == 4);
    /* Loose images are found in a folder, and by a function that lists them. */
    HOLD(zemtak_set_take(g.cache, all, 1, &set) == ZEMTAK_OK);
    if (root->folder || root->files->list) {
        HOLD(zemtak_pump_wait(g.pump, g.cache, set, NULL) == ZEMTAK_OK);
        HOLD(zemtak_set_progress(g.cache, set, &progress) == ZEMTAK_OK && progress.total == 2);
    } else {
        HOLD(zemtak_pump_wait(g.pump, g.cache, set, &error) == ZEMTAK_FAILED && strstr((const char *)error.text, "nothing matches") != NULL);
    }
    HOLD(zemtak_cache_ledger(g.cache, &ledger) == ZEMTAK_OK && ledger.handles == 5);
    HOLD(zemtak_batch_release(g.cache, batch) == ZEMTAK_OK && zemtak_playing_release(g.cache, playing) == ZEMTAK_OK);
    HOLD(zemtak_set_release(g.cache, set) == ZEMTAK_OK && zemtak_clip_release(g.cache, clip) == ZEMTAK_OK);
    given_back(&g, lease);
    close_game(&g);
}

static int32_t list_files(void *user, void (*emit)(void *to, const char *path), void *to) {
    (void)user;
    emit(to, "loose/a.png"), emit(to, NULL), emit(to, "loose/\xff.png"), emit(to, "loose/b.png"), emit(to, "hall-0.png");
    return 0;
}

static int32_t list_nothing(void *user, void (*emit)(void *to, const char *path), void *to) {
    list_files(user, emit, to);
    return 5;
}

static int32_t stamp_huge(void *user, const char *path, uint64_t *length, uint64_t *version) {
    const int32_t code = stamp_file(user, path, length, version);
    if (strstr(path, ".png")) *length = UINT64_MAX / 2;
    return code;
}

/* Files that change are read again: when asked to, or by themselves. */
static void changes(const zemtak_root *own, uint32_t watch_ms) {
    zemtak_settings settings = of(own);
    uint64_t moth;
    int before, i;
    game g;
    settings.watch_ms = watch_ms;
    open_game_with(&g, &settings, &NO_MORE);
    moth = taken(&g, "night:emblem");
    texture_of(&g, moth);
    before = atomic_load(&files_read);
    atomic_fetch_add(&files_version, 1);
    for (i = 0; i < (watch_ms ? 5000 : 50) && atomic_load(&files_read) == before; i++) {
        HOLD(zemtak_pump_run(g.pump, NULL, NULL) == ZEMTAK_OK);
        usleep(1000);
    }
    HOLD((atomic_load(&files_read) > before) == (watch_ms > 0));
    for (i = 0; i < 2; i++) {
        before = atomic_load(&files_read);
        atomic_fetch_add(&files_version, 1);
        HOLD((i ? zemtak_cache_reload_changed(g.cache) : zemtak_cache_reload(g.cache, "night:emblem")) == ZEMTAK_OK);
        while (atomic_load(&files_read) == before) {
            HOLD(zemtak_pump_run(g.pump, NULL, NULL) == ZEMTAK_OK);
            usleep(1000);
        }
    }
    given_back(&g, moth);
    close_game(&g);
}

/* What functions of the game's own can get wrong. */
static void archives(const zemtak_files *right) {
    zemtak_files files = *right;
    zemtak_root root = {NULL, &files};
    zemtak_settings settings = of(&root);
    zemtak_sink sink = NO_MORE;
    static const char *const all[] = {"loose/*.png"};
    zemtak_text error;
    uint64_t lamp, set;
    game g;
    files.stamp = stamp_huge, files.list = list_nothing;
    open_game_with(&g, &settings, &NO_MORE);
    lamp = taken(&g, "hall:lamp");
    HOLD(zemtak_pump_wait(g.pump, g.cache, lamp, &error) == ZEMTAK_FAILED && strstr((const char *)error.text, "hall-0.png") != NULL);
    given_back(&g, lamp);
    HOLD(zemtak_set_take(g.cache, all, 1, &set) == ZEMTAK_OK);
    HOLD(zemtak_pump_wait(g.pump, g.cache, set, &error) == ZEMTAK_FAILED && strstr((const char *)error.text, "code 5") != NULL);
    HOLD(zemtak_set_release(g.cache, set) == ZEMTAK_OK);
    HOLD(zemtak_pump_close(&g.pump) == ZEMTAK_OK && zemtak_cache_close(&g.cache) == ZEMTAK_OK && g.device.made == 0);
    sink.make_texture = make_texture, sink.drop_texture = drop_texture;
    files.read = NULL;
    HOLD(zemtak_cache_open(&settings, &sink, &g.cache, &g.pump) == ZEMTAK_NULL);
}

int main(int count, char **words) {
    zemtak_root folder = {NULL, NULL}, own = {NULL, NULL}, unlisted = {NULL, NULL};
    zemtak_files files = {NULL, stamp_file, read_file, list_files}, without = {NULL, stamp_file, read_file, NULL};
    const zemtak_root *roots[2] = {&folder, &own};
    int i;
    HOLD(count == 2);
    folder.folder = words[1], files.user = without.user = words[1], own.files = &files, unlisted.files = &without;
    for (i = 0; i < 2; i++) {
        textures(roots[i], false), textures(roots[i], true);
        largest_side(roots[i]);
        budget(roots[i], 0), budget(roots[i], 1);
        stand_in(roots[i]);
        per_frame(roots[i]);
        events(roots[i]);
        names(roots[i]);
        handles(roots[i]);
    }
    handles(&unlisted);
    changes(&own, 0), changes(&own, 1);
    archives(&files);
    puts("all as it should be");
    return 0;
}
