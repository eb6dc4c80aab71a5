/* What the games in C share: a device that keeps the pixels of its textures and what it was told of them, and an archive. */
#ifndef DEVICE_H
#define DEVICE_H

#include "zemtak.h"

#include <stdatomic.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#define HOLD(condition) \
    do { \
        if (!(condition)) { \
            fprintf(stderr, "%s:%d: %s\n", __FILE__, __LINE__, #condition); \
            exit(1); \
        } \
    } while (0)

typedef struct device {
    uint8_t *pixels[64];
    uint32_t sizes[64][2];
    zemtak_new_texture told[64]; /* its pointers are no longer valid */
    char labels[64][80], layers[64][16];
    int made, dropped;
    bool fails;
} device;

static uint64_t bytes_of(uint32_t kind, uint32_t width, uint32_t height) {
    return kind == 0 ? (uint64_t)width * height * 4 : (uint64_t)((width + 3) / 4) * ((height + 3) / 4) * (kind == 1 ? 8 : 16);
}

static int32_t make_texture(void *user, const zemtak_new_texture *new_texture, uint64_t *texture) {
    device *of = (device *)user;
    const zemtak_level *level = new_texture->levels;
    const int at = of->made;
    HOLD(new_texture->level_count >= 1 && level->length == bytes_of(new_texture->kind, level->width, level->height) && new_texture->label[0]);
    if (at == 64) return 1;
    of->pixels[at] = (uint8_t *)malloc(level->length);
    HOLD(of->pixels[at] != NULL);
    memcpy(of->pixels[at], level->bytes, level->length);
    of->sizes[at][0] = level->width, of->sizes[at][1] = level->height;
    of->told[at] = *new_texture;
    snprintf(of->labels[at], sizeof of->labels[at], "%s", new_texture->label);
    snprintf(of->layers[at], sizeof of->layers[at], "%s", new_texture->layer ? new_texture->layer : "");
    *texture = (uint64_t)of->made++;
    return 0;
}

static void drop_texture(void *user, uint64_t texture) {
    device *of = (device *)user;
    HOLD(texture < 64 && of->pixels[texture] != NULL);
    free(of->pixels[texture]);
    of->pixels[texture] = NULL;
    of->dropped++;
}

/* How often a file was read, and the version of all of them: several threads ask. */
static _Atomic int files_read;
static _Atomic uint64_t files_version = 7;

/* An archive of the game's own: a folder read by functions. */
static int32_t stamp_file(void *user, const char *path, uint64_t *length, uint64_t *version) {
    char full[1024];
    FILE *file;
    snprintf(full, sizeof full, "%s/%s", (const char *)user, path);
    if (!(file = fopen(full, "rb"))) return 1;
    fseek(file, 0, SEEK_END);
    *length = (uint64_t)ftell(file), *version = atomic_load(&files_version);
    return fclose(file);
}

static int32_t read_file(void *user, const char *path, uint8_t *buffer, uint64_t length) {
    char full[1024];
    size_t got;
    FILE *file;
    snprintf(full, sizeof full, "%s/%s", (const char *)user, path);
    atomic_fetch_add(&files_read, 1);
    if (!(file = fopen(full, "rb"))) return 1;
    got = fread(buffer, 1, length, file);
    fclose(file);
    return got == length ? 0 : 2;
}

typedef struct game {
    zemtak_cache *cache;
    zemtak_pump *pump;
    device device;
} game;

/* Opens a game with these settings and functions beyond the usual two. */
static void open_game_with(game *g, const zemtak_settings *settings, const zemtak_sink *more) {
    zemtak_sink sink = *more;
    memset(g, 0, sizeof *g);
    sink.user = &g->device, sink.make_texture = make_texture, sink.drop_texture = drop_texture;
    HOLD(zemtak_cache_open(settings, &sink, &g->cache, &g->pump) == ZEMTAK_OK);
}

static void close_game(game *g) {
    zemtak_ledger ledger;
    HOLD(zemtak_cache_ledger(g->cache, &ledger) == ZEMTAK_OK);
    HOLD(ledger.leases == 0 && ledger.handles == 0);
    HOLD(zemtak_pump_close(&g->pump) == ZEMTAK_OK && g->pump == NULL);
    HOLD(g->device.made > 0 && g->device.dropped == g->device.made);
    HOLD(zemtak_cache_close(&g->cache) == ZEMTAK_OK && g->cache == NULL);
    /* Once more is told. */
    HOLD(zemtak_cache_close(&g->cache) == ZEMTAK_NULL && zemtak_pump_close(&g->pump) == ZEMTAK_NULL);
}

#endif
