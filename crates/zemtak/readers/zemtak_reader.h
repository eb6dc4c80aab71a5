/* SPDX-License-Identifier: 0BSD
 *
 * Reads Zemtak atlases, tells where sprites are and how to draw them, and plays clips. C99, no other library.
 *
 * Reader version 1, for descriptors of version 1. Add this file to your game, and change it as you like. One source file defines
 * ZR_IMPLEMENTATION before it includes this one. Your game loads the pictures itself: pages name the files.
 *
 *     zr_error error;
 *     zr_atlas *atlas = zr_read(text, length, &error);      // the bytes of night.zemtak.json
 *     if (!atlas) { fprintf(stderr, "%s: %s\n", error.place, error.why); return 1; }
 *     const zr_sprite *moth = zr_find_sprite(atlas, "moth/fly/03");
 *     zr_placement at = zr_at(120, 64);
 *     zr_quad quad;
 *     zr_draw(moth, &at, &quad);                            // four positions, four texture coordinates, six indices
 *
 *     zr_player player;
 *     zr_play(&player, zr_find_clip(atlas, "moth/fly"), 0);
 *     zr_advance(&player, 16666667);                        // nanoseconds
 *     const zr_step *step;
 *     while ((step = zr_next_step(&player)) != NULL) { }    // every step that began on the way: play its events
 *     show(zr_find_sprite(atlas, zr_step_of(&player)->sprite));
 *     zr_free(atlas);
 *
 * Pixels have their origin at the top left, y down. Corners come in the order top left, top right, bottom right, bottom left of the
 * upright sprite, whether it is stored turned or not. Only zr_read allocates memory; any number of threads may use an atlas.
 */
#ifndef ZEMTAK_READER_H
#define ZEMTAK_READER_H

#include <stddef.h>
#include <stdint.h>

#ifdef __cplusplus
extern "C" {
#endif

#define ZR_VERSION 1

/* What is wrong with a descriptor, and where. */
typedef struct zr_error {
    char place[160];
    char why[160];
} zr_error;

/* A further image of a page, such as its normals, with the same boxes. */
typedef struct zr_layer {
    const char *name, *file, *pixels, *alpha, *colour;
} zr_layer;

/* A texture. `file` is relative to the descriptor; docs/format.md explains the other strings. */
typedef struct zr_page {
    const char *file, *pixels, *alpha, *colour, *filter, *wrap, *hash;
    int width, height, mips;
    int safe_mips; /* -2 if it was not measured */
    const zr_layer *layers;
    int layer_count;
} zr_page;

/* A named point in canvas pixels. */
typedef struct zr_point {
    const char *name;
    double at[2];
} zr_point;

/* A sprite, or a part of one. All values are in pixels: `box` (x, y, width, height) as stored on its page, `canvas` its full size, `inset`
 * where the upright box begins on the canvas, `pivot` the point by which it is placed, `stretch` the bands (left, top, right,
 * bottom) that keep their size, 0 where there are none. */
typedef struct zr_sprite {
    const char *name;
    int page, page_size[2], box[4], turned, canvas[2], inset[2], stretch[4];
    double pivot[2];
    const zr_point *points;
    int point_count;
    const char *const *tags;
    int tag_count;
} zr_sprite;

/* A step of a clip. `sprite` is a name of this atlas, or `atlas:name` of another one. */
typedef struct zr_step {
    const char *sprite;
    const char *const *events;
    int event_count;
} zr_step;

typedef enum zr_mode { ZR_LOOP, ZR_ONCE, ZR_BOUNCE } zr_mode;

/* A time: nanoseconds and parts of one, counted in `rest_parts` of its clip, so that frames at any rate are exact. */
typedef struct zr_time {
    int64_t ns, rest;
} zr_time;

typedef struct zr_clip {
    const char *name;
    zr_mode mode;
    const zr_step *steps;
    int step_count;
    int64_t rest_parts;
    int turn_count;        /* steps as they are met: there and back */
    const zr_time *starts; /* when each turn begins, and when the last one ends */
    int still;             /* whether its last turn never ends */
} zr_clip;

typedef struct zr_atlas {
    const char *name, *build_id, *base; /* the last two may be NULL */
    double scale;
    const zr_page *pages;
    int page_count;
    const zr_sprite *sprites; /* sorted by the bytes of their names, as clips are */
    int sprite_count;
    const zr_clip *clips;
    int clip_count;
} zr_atlas;

/* Reads the text of a descriptor, which may be freed afterwards. Returns NULL if it is not a valid descriptor, and then says why in
 * `error`, unless that is NULL. */
zr_atlas *zr_read(const char *text, size_t length, zr_error *error);
/* Frees an atlas. NULL is ignored. */
void zr_free(zr_atlas *atlas);
/* NULL if there is none of that name. */
const zr_sprite *zr_find_sprite(const zr_atlas *atlas, const char *name);
const zr_clip *zr_find_clip(const zr_atlas *atlas, const char *name);

/* How to compute texture coordinates. With `v_up` row 0 of the page is at v = 1. `shrink` moves each edge inwards by this many
 * texels, at most to the centre; 0.5 keeps linear filtering within the box. */
typedef struct zr_sampling {
    int flip_x, flip_y, v_up;
    double shrink;
} zr_sampling;

/* Where and how a sprite is drawn: its pivot at `at`, scaled (a negative scale mirrors), then rotated, clockwise as seen; with
 * `y_up` y goes up on the screen and it rotates counter-clockwise. */
typedef struct zr_placement {
    double at[2], scale[2], degrees;
    int y_up, v_up;
    double shrink;
} zr_placement;

/* Two triangles: the positions and texture coordinates of the upright corners, and six indices into them. */
typedef struct zr_quad {
    float positions[4][2], uvs[4][2];
    unsigned char indices[6];
} zr_quad;

/* A placement at (x, y), at the size of the canvas, upright. */
zr_placement zr_at(double x, double y);
/* The texture coordinates of the corners. `how` may be NULL. */
void zr_uvs(const zr_sprite *sprite, const zr_sampling *how, float uvs[4][2]);
/* A part of the sprite, in canvas pixels. It keeps the canvas and the pivot, so that it is drawn at its place on the whole.
 * Whatever lies outside the canvas or was trimmed is cut off. Returns 0 if nothing is left. */
int zr_part(const zr_sprite *sprite, int x, int y, int width, int height, zr_sprite *part);
void zr_draw(const zr_sprite *sprite, const zr_placement *at, zr_quad *quad);
/* Quads that draw it `width` by `height` canvas pixels in size: the bands of `stretch` keep their size, and the middle is
 * stretched, or repeated if `tiled`. Returns how many there are, and writes the first `room` of them. */
int zr_stretch(const zr_sprite *sprite, double width, double height, int tiled, const zr_placement *at, zr_quad *quads, int room);

/* What a clip shows at a given time: the number of the step, how often the clip has played, and whether a clip that plays once is
 * over. */
typedef struct zr_shown {
    int step;
    int64_t played;
    int ended;
} zr_shown;

/* What is shown at a given time, up to 146 years. Negative times count back from the end of a period; a clip that plays once then
 * shows its first step. */
zr_shown zr_show(const zr_clip *clip, int64_t nanoseconds);

/* Plays a clip. It may be copied. */
typedef struct zr_player {
    const zr_clip *clip;
    zr_time now;
    int turn;
    int64_t played;
    int64_t entered; /* how many turns zr_next_step has yet to report; negative when playing backwards */
    int told;        /* the turn reported last */
} zr_player;

/* Starts at this position of the clip, in nanoseconds: start each of a crowd elsewhere, and they do not move in step. */
void zr_play(zr_player *player, const zr_clip *clip, int64_t nanoseconds);
/* Advances by this many nanoseconds; a negative number plays backwards. */
void zr_advance(zr_player *player, int64_t nanoseconds);
/* The next step that began during the last advance, in order; NULL when there are no more. */
const zr_step *zr_next_step(zr_player *player);
/* The step to show now. */
const zr_step *zr_step_of(const zr_player *player);
/* Whether a clip that plays once is over. */
int zr_ended(const zr_player *player);

#ifdef __cplusplus
}
#endif
#endif

#ifdef ZR_IMPLEMENTATION
#undef ZR_IMPLEMENTATION

#include <math.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#define ZR_LONGEST_SIDE (1 << 20)
#define ZR_LATEST (INT64_MAX / 2)

enum { ZR_NULL, ZR_TRUTH, ZR_NUMBER, ZR_TEXT, ZR_LIST, ZR_OBJECT, ZR_NUMBERS };

/* A value of the JSON text. Texts lie in a copy of it, in place. */
typedef struct zr_node {
    struct zr_node *parent, *next;
    const char *key;
    union {
        struct zr_node *first; /* of a list or an object */
        const char *text;
        double number;
        const double *numbers; /* of a list of up to four numbers, which most values are */
    } is;
    int kind, count;
} zr_node;

typedef struct zr_block {
    struct zr_block *older;
    size_t used, size;
} zr_block;

/* The atlas, and the memory that goes with it. */
typedef struct zr_whole {
    zr_atlas atlas;
    zr_block *blocks;
    char *copy;
} zr_whole;

typedef struct zr_in {
    zr_block **blocks, *nodes;
    char *at, *start, *end;
    zr_error *error;
    int failed;
} zr_in;

static void zr_say(zr_in *in, const char *why) {
    if (in->error && !in->failed) snprintf(in->error->why, sizeof in->error->why, "%s", why);
    in->failed = 1;
}

/* Writes such as sprites["moth/fly/03"].box[2], and gives its length. */
static size_t zr_path(const zr_node *node, char *out, size_t room) {
    const zr_node *of = node->parent, *c;
    size_t used = of ? zr_path(of, out, room) : 0;
    int index = 0, named = of && of->parent && !of->parent->parent;
    if (!of || used + 1 >= room) return used;
    for (c = of->is.first; c && c != node; c = c->next) index++;
    if (of->kind == ZR_LIST) snprintf(out + used, room - used, "[%d]", index);
    else snprintf(out + used, room - used, named ? "[\"%s\"]" : of->parent ? ".%s" : "%s", node->key);
    return strlen(out);
}

static void zr_fail(zr_in *in, const zr_node *node, const char *why) {
    if (in->error && !in->failed && zr_path(node, in->error->place, sizeof in->error->place) == 0) strcpy(in->error->place, "the descriptor");
    zr_say(in, why);
}

/* Reports invalid JSON with its line and column. */
static zr_node *zr_no_json(zr_in *in, const char *why) {
    long line = 1, column = 1;
    const char *c;
    for (c = in->start; c < in->at; c++) column = *c == '\n' ? (line++, 1) : column + 1;
    if (in->error && !in->failed) snprintf(in->error->place, sizeof in->error->place, "line %ld, column %ld", line, column);
    zr_say(in, why);
    return NULL;
}

static void *zr_take(zr_in *in, zr_block **blocks, size_t size) {
    const size_t head = (sizeof(zr_block) + 15) / 16 * 16;
    size = (size + 15) / 16 * 16;
    if (!*blocks || (*blocks)->size - (*blocks)->used < size) {
        size_t room = head + (size > 262144 ? size : 262144);
        zr_block *block = (zr_block *)malloc(room);
        if (!block) {
            zr_say(in, "there is not enough memory");
            return NULL;
        }
        block->older = *blocks, block->used = head, block->size = room;
        *blocks = block;
    }
    (*blocks)->used += size;
    return memset((char *)*blocks + (*blocks)->used - size, 0, size);
}

static void zr_give_back(zr_block *block) {
    while (block) {
        zr_block *older = block->older;
        free(block);
        block = older;
    }
}

static char zr_peek(zr_in *in) {
    while (*in->at == ' ' || *in->at == '\n' || *in->at == '\r' || *in->at == '\t') in->at++;
    return *in->at;
}

static int zr_hex(zr_in *in, unsigned *value) {
    int i;
    for (*value = 0, i = 0; i < 4; i++, in->at++) {
        char c = *in->at;
        int digit = c >= '0' && c <= '9' ? c - '0' : (c | 32) >= 'a' && (c | 32) <= 'f' ? (c | 32) - 'a' + 10 : -1;
        if (digit < 0) return 0;
        *value = *value * 16 + (unsigned)digit;
    }
    return 1;
}

/* A text, unescaped where it lies. */
static const char *zr_string(zr_in *in) {
    static const char from[] = "\"\\/bfnrt", to[] = "\"\\/\b\f\n\r\t";
    char *start = ++in->at, *out = start;
    while (*in->at != '"') {
        unsigned c, low;
        const char *simple;
        if ((unsigned char)*in->at < 0x20) return zr_no_json(in, "an unterminated string"), "";
        if (*in->at != '\\') {
            *out++ = *in->at++;
            continue;
        }
        simple = *++in->at ? strchr(from, *in->at) : NULL;
        if (simple) {
            *out++ = to[simple - from], in->at++;
            continue;
        }
        if (*in->at++ != 'u' || !zr_hex(in, &c)) return zr_no_json(in, "an unknown escape sequence"), "";
        if (c >= 0xd800 && c < 0xdc00 && in->at[0] == '\\' && in->at[1] == 'u') {
            in->at += 2;
            if (!zr_hex(in, &low) || low < 0xdc00 || low > 0xdfff) return zr_no_json(in, "half of a surrogate pair"), "";
            c = 0x10000 + ((c - 0xd800) << 10) + (low - 0xdc00);
        }
        if (c == 0 || (c >= 0xd800 && c < 0xe000)) return zr_no_json(in, "a character that a C string cannot hold"), "";
        if (c < 0x80) {
            *out++ = (char)c;
        } else {
            int more = c < 0x800 ? 1 : c < 0x10000 ? 2 : 3;
            *out++ = (char)((0xf00 >> (more + 1) & 0xff) | (c >> more * 6));
            while (more--) *out++ = (char)(0x80 | (c >> more * 6 & 0x3f));
        }
    }
    in->at++;
    *out = 0;
    return start;
}

static double zr_decimal(zr_in *in) {
    static const double tens[] = {1, 1e1, 1e2, 1e3, 1e4, 1e5, 1e6, 1e7, 1e8, 1e9, 1e10, 1e11, 1e12, 1e13, 1e14, 1e15, 1e16, 1e17, 1e18};
    char *start = in->at, *digits = start + (*start == '-'), *point = NULL, *c, *end, kept;
    int64_t whole = 0;
    double value;
    for (c = digits; (*c >= '0' && *c <= '9') || (*c == '.' && !point && c > digits); c++) {
        if (*c == '.') point = c;
        else if (c - digits < 18) whole = whole * 10 + (*c - '0');
    }
    if (c == digits || (point && c == point + 1) || (*digits == '0' && c > digits + 1 && digits + 1 != point)) return zr_no_json(in, "a value is expected"), 0;
    in->at = c;
    /* Both numbers are whole and below 2^53, so that their quotient is the nearest there is. */
    if (c - digits <= 16 && (*c | 32) != 'e') {
        value = (double)whole / tens[point ? c - point - 1 : 0];
        return *start == '-' ? -value : value;
    }
    if ((*c | 32) == 'e') {
        c += 1 + (c[1] == '-' || c[1] == '+');
        if (*c < '0' || *c > '9') return zr_no_json(in, "a number without its exponent"), 0;
        while (*c >= '0' && *c <= '9') c++;
    }
    in->at = c;
    kept = *c, *c = 0;
    value = strtod(start, &end);
    if (end != c && point) *point = ',', value = strtod(start, &end), *point = '.'; /* the locale has a decimal comma */
    *c = kept;
    return value - value == 0 ? value : (zr_no_json(in, "a number that is not finite"), 0);
}

/* A list of one to four numbers; else nothing is read. */
static int zr_few_numbers(zr_in *in, zr_node *node) {
    char *start = in->at++, next;
    double numbers[4], *copy;
    int count = 0;
    do {
        next = zr_peek(in);
        if (count == 4 || !(next == '-' || (next >= '0' && next <= '9'))) return in->at = start, 0;
        numbers[count++] = zr_decimal(in);
        next = zr_peek(in), in->at++;
    } while (next == ',' && !in->failed);
    copy = next == ']' && !in->failed ? (double *)zr_take(in, &in->nodes, (size_t)count * sizeof *copy) : NULL;
    if (!copy) return in->at = start, 0;
    memcpy(copy, numbers, (size_t)count * sizeof *copy);
    node->kind = ZR_NUMBERS, node->is.numbers = copy, node->count = count;
    return 1;
}

static zr_node *zr_value(zr_in *in, zr_node *parent, int depth) {
    zr_node *node = (zr_node *)zr_take(in, &in->nodes, sizeof(zr_node)), **last;
    char first = zr_peek(in), close;
    if (!node) return NULL;
    node->parent = parent;
    if (first == '[' && zr_few_numbers(in, node)) return node;
    if (first == '{' || first == '[') {
        if (depth > 100) return zr_no_json(in, "lists and objects are nested too deeply");
        node->kind = first == '{' ? ZR_OBJECT : ZR_LIST, close = first == '{' ? '}' : ']', last = &node->is.first;
        for (in->at++; zr_peek(in) != close; last = &(*last)->next, node->count++) {
            const char *key = NULL;
            if (node->count && *in->at++ != ',') return in->at--, zr_no_json(in, "a comma or the end of a list or an object is expected");
            if (first == '{') {
                if (zr_peek(in) != '"') return zr_no_json(in, "a key is expected");
                key = zr_string(in);
                if (in->failed || zr_peek(in) != ':') return zr_no_json(in, "a colon is expected");
                in->at++;
            }
            *last = zr_value(in, node, depth + 1);
            if (in->failed) return NULL;
            (*last)->key = key;
        }
        in->at++;
    } else if (first == '"') {
        node->kind = ZR_TEXT, node->is.text = zr_string(in);
    } else if (first == 't' ? !strncmp(in->at, "true", 4) : first == 'f' && !strncmp(in->at, "false", 5)) {
        node->kind = ZR_TRUTH, node->is.number = first == 't', in->at += first == 't' ? 4 : 5;
    } else if (first == 'n' && !strncmp(in->at, "null", 4)) {
        in->at += 4;
    } else {
        node->kind = ZR_NUMBER, node->is.number = zr_decimal(in);
    }
    return in->failed ? NULL : node;
}

/* Stands in for a missing value after an error, so that callers need not check. */
static zr_node *zr_nothing(void) {
    static zr_node nothing;
    return &nothing;
}

static zr_node *zr_find(zr_in *in, zr_node *object, const char *key) {
    zr_node *node;
    if (object->kind != ZR_OBJECT) zr_fail(in, object, "should be an object");
    for (node = object->kind == ZR_OBJECT ? object->is.first : NULL; node; node = node->next)
        if (*node->key == *key && !strcmp(node->key, key)) break;
    return node && node->kind != ZR_NULL && !in->failed ? node : NULL;
}

static zr_node *zr_get(zr_in *in, zr_node *object, const char *key) {
    zr_node *node = zr_find(in, object, key);
    char why[80];
    if (node) return node;
    snprintf(why, sizeof why, "has no %s", key);
    zr_fail(in, object, why);
    return zr_nothing();
}

static zr_node *zr_kind(zr_in *in, zr_node *node, int kind, const char *why) {
    return node->kind == kind && !in->failed ? node : (zr_fail(in, node, why), zr_nothing());
}

static const char *zr_text(zr_in *in, zr_node *node) {
    const char *text = zr_kind(in, node, ZR_TEXT, "should be a string")->is.text;
    return text ? text : "";
}

static const char *zr_text_of(zr_in *in, zr_node *object, const char *key) { return zr_text(in, zr_get(in, object, key)); }

static int zr_in_range(zr_in *in, zr_node *node, double value, int least, int most) {
    if (!in->failed && !(value >= least && value <= most && value == floor(value))) zr_fail(in, node, "is not a whole number within its range");
    return in->failed ? least : (int)value;
}

static int zr_integer(zr_in *in, zr_node *node, int least, int most) {
    return zr_in_range(in, node, zr_kind(in, node, ZR_NUMBER, "should be a whole number")->is.number, least, most);
}

static void zr_several(zr_in *in, zr_node *node, int count, int *whole, double *number) {
    const double *numbers = zr_kind(in, node, ZR_NUMBERS, "should be a list of two or four numbers")->is.numbers;
    int i;
    if (!in->failed && node->count != count) zr_fail(in, node, "has the wrong number of values");
    for (i = 0; i < count && !in->failed; i++) {
        if (whole) whole[i] = zr_in_range(in, node, numbers[i], 0, ZR_LONGEST_SIDE);
        else number[i] = numbers[i];
    }
}

static const char *const *zr_texts(zr_in *in, zr_node *node, int *count) {
    const char **texts = NULL;
    zr_node *item = node ? zr_kind(in, node, ZR_LIST, "should be a list of strings")->is.first : NULL;
    *count = 0;
    if (item) texts = (const char **)zr_take(in, in->blocks, (size_t)node->count * sizeof *texts);
    for (; item && !in->failed; item = item->next) texts[(*count)++] = zr_text(in, item);
    return texts;
}

/* Room for what a list or an object holds. */
static void *zr_all(zr_in *in, zr_node *node, int kind, size_t size, int *count) {
    *count = zr_kind(in, node, kind, kind == ZR_LIST ? "should be a list" : "should be an object")->count;
    return zr_take(in, in->blocks, (size_t)(*count ? *count : 1) * size);
}

static const char *zr_file(zr_in *in, zr_node *object) {
    zr_node *node = zr_get(in, object, "file");
    const char *file = zr_text(in, node), *part = file, *c;
    for (c = file; *c != '\\' && *c != ':'; c++) {
        if (*c && *c != '/') continue;
        if (c == part || (part[0] == '.' && (c == part + 1 || (c == part + 2 && part[1] == '.')))) break;
        if (!*c) return file;
        part = c + 1;
    }
    zr_fail(in, node, "is not a relative path below the descriptor's folder");
    return file;
}

static void zr_read_page(zr_in *in, zr_node *node, zr_page *page) {
    zr_node *layers = zr_find(in, node, "layers"), *sampling = zr_get(in, node, "sampling"), *safe, *of;
    zr_layer *layer;
    page->file = zr_file(in, node), page->pixels = zr_text_of(in, node, "pixels"), page->alpha = zr_text_of(in, node, "alpha");
    page->colour = zr_text_of(in, node, "colour"), page->hash = zr_text_of(in, node, "hash");
    page->filter = zr_text_of(in, sampling, "filter"), page->wrap = zr_text_of(in, sampling, "wrap");
    page->width = zr_integer(in, zr_get(in, node, "width"), 1, ZR_LONGEST_SIDE);
    page->height = zr_integer(in, zr_get(in, node, "height"), 1, ZR_LONGEST_SIDE);
    page->mips = zr_integer(in, zr_get(in, sampling, "mips"), 1, 32);
    safe = zr_find(in, sampling, "safe_mips");
    page->safe_mips = safe ? zr_integer(in, safe, -1, ZR_LONGEST_SIDE) : -2;
    if (!layers) return;
    page->layers = layer = (zr_layer *)zr_all(in, layers, ZR_OBJECT, sizeof *layer, &page->layer_count);
    for (of = layers->is.first; of && !in->failed; of = of->next, layer++) {
        layer->name = of->key, layer->file = zr_file(in, of), layer->pixels = zr_text_of(in, of, "pixels");
        layer->alpha = zr_text_of(in, of, "alpha"), layer->colour = zr_text_of(in, of, "colour");
    }
}

static void zr_read_sprite(zr_in *in, zr_node *node, const zr_atlas *atlas, zr_sprite *sprite) {
    zr_node *points = zr_find(in, node, "points"), *stretch = zr_find(in, node, "stretch"), *of;
    const int *box = sprite->box, *size = sprite->page_size, *bands = sprite->stretch;
    zr_point *point;
    sprite->name = node->key;
    sprite->page = zr_integer(in, zr_get(in, node, "page"), 0, atlas->page_count - 1);
    zr_several(in, zr_get(in, node, "box"), 4, sprite->box, NULL);
    sprite->turned = (int)zr_kind(in, zr_get(in, node, "turned"), ZR_TRUTH, "should be true or false")->is.number;
    zr_several(in, zr_get(in, node, "canvas"), 2, sprite->canvas, NULL);
    zr_several(in, zr_get(in, node, "inset"), 2, sprite->inset, NULL);
    zr_several(in, zr_get(in, node, "pivot"), 2, NULL, sprite->pivot);
    sprite->tags = zr_texts(in, zr_find(in, node, "tags"), &sprite->tag_count);
    if (stretch) zr_several(in, stretch, 4, sprite->stretch, NULL);
    if (in->failed) return;
    sprite->page_size[0] = atlas->pages[sprite->page].width, sprite->page_size[1] = atlas->pages[sprite->page].height;
    if (box[2] < 1 || box[3] < 1 || box[0] + box[2] > size[0] || box[1] + box[3] > size[1]) zr_fail(in, zr_get(in, node, "box"), "does not lie on its page");
    if (sprite->inset[0] + box[2 + sprite->turned] > sprite->canvas[0] || sprite->inset[1] + box[3 - sprite->turned] > sprite->canvas[1])
        zr_fail(in, zr_get(in, node, "inset"), "puts the box beyond the canvas");
    if (bands[0] + bands[2] > sprite->canvas[0] || bands[1] + bands[3] > sprite->canvas[1]) zr_fail(in, stretch, "has bands wider than the canvas");
    if (!points) return;
    sprite->points = point = (zr_point *)zr_all(in, points, ZR_OBJECT, sizeof *point, &sprite->point_count);
    for (of = points->is.first; of && !in->failed; of = of->next, point++) point->name = of->key, zr_several(in, of, 2, NULL, point->at);
}

/* A rate as written in the descriptor: a number of up to nine digits, or a ratio such as "60000/1001". */
static void zr_rate(zr_in *in, zr_node *node, int64_t *above, int64_t *below) {
    int64_t parts[2] = {0, 0}, a, b;
    double value = node->kind == ZR_NUMBER ? node->is.number : -1, size = 1, scaled = 0;
    const char *c = node->kind == ZR_TEXT ? node->is.text : "";
    int part = 0, digits = 0, k;
    if (node->kind == ZR_TEXT) {
        for (; *c && digits < 11 && ((*c >= '0' && *c <= '9') || (*c == '/' && part == 0 && digits > 0)); c++) {
            if (*c == '/') part = 1, digits = 0;
            else parts[part] = parts[part] * 10 + (*c - '0'), digits++;
        }
        if (*c || part == 0 || digits == 0) parts[1] = 0;
    } else if (node->kind == ZR_NUMBER && value >= 0 && value < INT32_MAX) {
        /* The shortest decimal that reads back as this number. */
        for (k = 0; k < 10; k++, size *= 10) {
            scaled = floor(value * size + 0.5);
            if (scaled / size == value) break;
        }
        if (k < 10) parts[0] = (int64_t)scaled, parts[1] = (int64_t)size;
    }
    if (parts[1] == 0 || parts[0] > INT32_MAX || parts[1] > UINT32_MAX) zr_fail(in, node, "is neither a number of up to nine digits nor a ratio such as 60000/1001");
    for (a = parts[0], b = parts[1]; b != 0;) {
        int64_t rest = a % b;
        a = b, b = rest;
    }
    *above = in->failed ? 1 : parts[0] / a, *below = in->failed ? 1 : parts[1] / a;
}

static zr_time zr_sum(zr_time a, zr_time b, int64_t parts) {
    zr_time sum;
    sum.ns = a.ns + b.ns, sum.rest = a.rest + b.rest;
    if (sum.rest >= parts) sum.ns++, sum.rest -= parts;
    return sum;
}

/* When each turn begins. `own` are durations in nanoseconds, below 0 where a step has none. */
static void zr_lay_out(zr_in *in, zr_node *node, zr_clip *clip, const int64_t *own, int64_t above, int64_t below) {
    int steps = clip->step_count, turns = clip->mode == ZR_BOUNCE && steps > 2 ? 2 * steps - 2 : steps, turn;
    zr_time *starts = (zr_time *)zr_take(in, in->blocks, ((size_t)turns + 1) * sizeof *starts), frame = {0, 0};
    clip->rest_parts = above ? above : 1, clip->starts = starts;
    /* A frame takes `below` * 10^9 / `above` nanoseconds. */
    if (above) frame.ns = below * 1000000000 / above, frame.rest = below * 1000000000 % above;
    for (turn = 0; turn < turns && !in->failed && !clip->still; turn++) {
        int64_t ns = own[turn < steps ? turn : 2 * steps - 2 - turn];
        zr_time length = frame;
        if (ns >= 0) length.ns = ns, length.rest = 0;
        clip->still = ns < 0 && !above;
        starts[turn + 1] = zr_sum(starts[turn], length, clip->rest_parts);
        if (starts[turn + 1].ns >= INT64_MAX / 2) zr_fail(in, node, "is too long");
    }
    clip->turn_count = turn;
    if (!in->failed && !clip->still && starts[turn].ns == 0 && starts[turn].rest == 0) zr_fail(in, node, "takes no time");
}

static void zr_read_clip(zr_in *in, zr_node *node, const zr_atlas *atlas, zr_clip *clip) {
    static const char *const modes[] = {"loop", "once", "bounce"};
    zr_node *fps = zr_find(in, node, "fps"), *of, *steps = zr_get(in, node, "steps"), *mode = zr_get(in, node, "mode");
    const char *word = zr_text(in, mode);
    int64_t above = 10, below = 1, *own;
    zr_step *step;
    int i = 0;
    clip->name = node->key;
    while (i < 3 && strcmp(modes[i], word)) i++;
    if (i == 3) zr_fail(in, mode, "is neither loop, once nor bounce");
    clip->mode = (zr_mode)i;
    if (fps) zr_rate(in, fps, &above, &below);
    clip->steps = step = (zr_step *)zr_all(in, steps, ZR_LIST, sizeof *step, &clip->step_count);
    own = (int64_t *)zr_take(in, &in->nodes, (size_t)(clip->step_count ? clip->step_count : 1) * sizeof *own);
    if (!in->failed && clip->step_count == 0) zr_fail(in, steps, "is empty");
    for (i = 0, of = steps->is.first; of && !in->failed; of = of->next, step++, i++) {
        zr_node *ms = zr_find(in, of, "ms");
        double ns = ms ? zr_kind(in, ms, ZR_NUMBER, "should be a number")->is.number * 1e6 : 0;
        step->sprite = zr_text_of(in, of, "sprite");
        step->events = zr_texts(in, zr_find(in, of, "events"), &step->event_count);
        if (!in->failed && !strchr(step->sprite, ':') && !zr_find_sprite(atlas, step->sprite)) zr_fail(in, zr_get(in, of, "sprite"), "is not a sprite of this atlas");
        if (!ms && !fps) zr_fail(in, of, "has no ms, and its clip has no fps");
        if (!(ns >= 0 && ns <= 1e18)) zr_fail(in, ms, "is not a duration");
        if (!in->failed) own[i] = ms ? (int64_t)(floor(ns) + (ns - floor(ns) >= 0.5)) : -1;
    }
    if (!in->failed) zr_lay_out(in, steps, clip, own, above, below);
}

static int zr_by_name(const void *a, const void *b) { return strcmp(*(const char *const *)a, *(const char *const *)b); }

/* Sorted by the names with which they begin; each name is there once. */
static void zr_sort(zr_in *in, zr_node *node, void *items, int count, size_t size) {
    char *item = (char *)items;
    int i, sorted = 1;
    for (i = 1; i < count && sorted; i++) sorted = zr_by_name(item + (size_t)(i - 1) * size, item + (size_t)i * size) < 0;
    if (!sorted) qsort(items, (size_t)count, size, zr_by_name);
    for (i = 1; i < count && !sorted; i++)
        if (!zr_by_name(item + (size_t)(i - 1) * size, item + (size_t)i * size)) zr_fail(in, node, "has a name twice");
}

static void zr_read_atlas(zr_in *in, zr_atlas *atlas, zr_node *whole) {
    zr_node *version = zr_get(in, whole, "zemtak"), *needs = zr_get(in, whole, "needs"), *of, *node;
    zr_page *page;
    zr_sprite *sprite;
    zr_clip *clip;
    if (zr_integer(in, version, 0, ZR_LONGEST_SIDE) != ZR_VERSION) zr_fail(in, version, "is of another version than this reader reads");
    if (zr_kind(in, needs, ZR_LIST, "should be a list")->count) zr_fail(in, needs, "asks for what this reader does not know");
    atlas->name = zr_text_of(in, whole, "name");
    atlas->scale = zr_kind(in, zr_get(in, whole, "scale"), ZR_NUMBER, "should be a number")->is.number;
    if ((of = zr_find(in, whole, "build_id")) != NULL) atlas->build_id = zr_text(in, of);
    if ((of = zr_find(in, whole, "base")) != NULL) atlas->base = zr_text(in, of);
    node = zr_get(in, whole, "pages");
    atlas->pages = page = (zr_page *)zr_all(in, node, ZR_LIST, sizeof *page, &atlas->page_count);
    for (of = node->is.first; of && !in->failed; of = of->next) zr_read_page(in, of, page++);
    node = zr_get(in, whole, "sprites");
    atlas->sprites = sprite = (zr_sprite *)zr_all(in, node, ZR_OBJECT, sizeof *sprite, &atlas->sprite_count);
    for (of = node->is.first; of && !in->failed; of = of->next) zr_read_sprite(in, of, atlas, sprite++);
    if (!in->failed) zr_sort(in, node, sprite - atlas->sprite_count, atlas->sprite_count, sizeof *sprite);
    node = zr_get(in, whole, "clips");
    atlas->clips = clip = (zr_clip *)zr_all(in, node, ZR_OBJECT, sizeof *clip, &atlas->clip_count);
    for (of = node->is.first; of && !in->failed; of = of->next) zr_read_clip(in, of, atlas, clip++);
    if (!in->failed) zr_sort(in, node, clip - atlas->clip_count, atlas->clip_count, sizeof *clip);
}

zr_atlas *zr_read(const char *text, size_t length, zr_error *error) {
    zr_whole *whole = (zr_whole *)calloc(1, sizeof *whole);
    zr_in in;
    zr_node *node = NULL;
    memset(&in, 0, sizeof in);
    in.error = error;
    if (error) strcpy(error->place, "the descriptor");
    if (whole) whole->copy = (char *)malloc(length + 1);
    if (!whole || !whole->copy) {
        zr_say(&in, "there is not enough memory");
        free(whole);
        return NULL;
    }
    if (length > 0) memcpy(whole->copy, text, length);
    whole->copy[length] = 0;
    in.at = in.start = whole->copy, in.end = whole->copy + length, in.blocks = &whole->blocks;
    node = zr_value(&in, NULL, 0);
    if (!in.failed && (zr_peek(&in), in.at != in.end)) zr_no_json(&in, "unexpected text after the descriptor");
    if (!in.failed) zr_read_atlas(&in, &whole->atlas, node);
    zr_give_back(in.nodes);
    if (!in.failed) return &whole->atlas;
    zr_free(&whole->atlas);
    return NULL;
}

void zr_free(zr_atlas *atlas) {
    zr_whole *whole = (zr_whole *)(void *)atlas;
    if (!whole) return;
    zr_give_back(whole->blocks);
    free(whole->copy);
    free(whole);
}

static const void *zr_named(const void *items, int count, size_t size, const char *name) {
    return name && count ? bsearch(&name, items, (size_t)count, size, zr_by_name) : NULL;
}

const zr_sprite *zr_find_sprite(const zr_atlas *atlas, const char *name) {
    return (const zr_sprite *)zr_named(atlas->sprites, atlas->sprite_count, sizeof(zr_sprite), name);
}

const zr_clip *zr_find_clip(const zr_atlas *atlas, const char *name) {
    return (const zr_clip *)zr_named(atlas->clips, atlas->clip_count, sizeof(zr_clip), name);
}

zr_placement zr_at(double x, double y) {
    zr_placement at = {{0, 0}, {1, 1}, 0, 0, 0, 0};
    at.at[0] = x, at.at[1] = y;
    return at;
}

void zr_uvs(const zr_sprite *sprite, const zr_sampling *how, float uvs[4][2]) {
    static const zr_sampling plain = {0, 0, 0, 0};
    /* The edges of each stored corner, the upright top left first. */
    static const int corners[2][4][2] = {{{0, 1}, {2, 1}, {2, 3}, {0, 3}}, {{2, 1}, {2, 3}, {0, 3}, {0, 1}}};
    double edges[4];
    int k, corner;
    how = how ? how : &plain;
    for (k = 0; k < 2; k++) {
        double start = sprite->box[k], length = sprite->box[2 + k], size = sprite->page_size[k];
        double by = how->shrink < length / 2 ? how->shrink : length / 2;
        edges[k] = start + by, edges[2 + k] = start + length - by;
        if (k == 1 && how->v_up) edges[1] = size - edges[1], edges[3] = size - edges[3];
        edges[k] /= size, edges[2 + k] /= size;
    }
    for (corner = 0; corner < 4; corner++) {
        int from = (how->flip_y ? 3 - corner : corner) ^ (how->flip_x ? 1 : 0);
        for (k = 0; k < 2; k++) uvs[corner][k] = (float)edges[corners[sprite->turned ? 1 : 0][from][k]];
    }
}

int zr_part(const zr_sprite *sprite, int x, int y, int width, int height, zr_sprite *part) {
    const int upright[2] = {sprite->box[2 + sprite->turned], sprite->box[3 - sprite->turned]};
    const int64_t asked[2][2] = {{x, (int64_t)x + width}, {y, (int64_t)y + height}};
    int start[2], size[2], k;
    for (k = 0; k < 2; k++) {
        int64_t from = asked[k][0] > sprite->inset[k] ? asked[k][0] : sprite->inset[k], end = (int64_t)sprite->inset[k] + upright[k];
        if (asked[k][1] < end) end = asked[k][1];
        if (from >= end) return 0;
        start[k] = (int)from - sprite->inset[k], size[k] = (int)(end - from);
    }
    *part = *sprite;
    /* Pixel (i, j) of the upright box lies at (h - 1 - j, i) of a turned one. */
    part->box[0] += sprite->turned ? upright[1] - start[1] - size[1] : start[0];
    part->box[1] += sprite->turned ? start[0] : start[1];
    part->box[2] = size[sprite->turned ? 1 : 0], part->box[3] = size[sprite->turned ? 0 : 1];
    part->inset[0] += start[0], part->inset[1] += start[1];
    return 1;
}

/* Exact for quarter turns. */
static void zr_turn(double degrees, double *sine, double *cosine) {
    double turn = fmod(degrees, 360.0), around = turn < 0 ? turn + 360.0 : turn;
    int quarter = around == 0 ? 0 : around == 90 ? 1 : around == 180 ? 2 : around == 270 ? 3 : 4;
    static const double exact[5] = {0, 1, 0, -1, 0};
    *sine = quarter < 4 ? exact[quarter] : sin(turn * (3.14159265358979323846 / 180.0));
    *cosine = quarter < 4 ? exact[(quarter + 1) % 4] : cos(turn * (3.14159265358979323846 / 180.0));
}

/* Over a rectangle of the canvas: left, top, right, bottom. */
static void zr_draw_over(const zr_sprite *sprite, const double edges[4], const double pivot[2], const zr_placement *at, zr_quad *quad) {
    static const int corners[4][2] = {{0, 1}, {2, 1}, {2, 3}, {0, 3}};
    static const unsigned char indices[2][6] = {{0, 1, 2, 0, 2, 3}, {0, 3, 2, 0, 2, 1}};
    zr_sampling how = {0, 0, 0, 0};
    double sine, cosine;
    int i;
    zr_turn(at->degrees, &sine, &cosine);
    for (i = 0; i < 4; i++) {
        double dx = at->scale[0] * (edges[corners[i][0]] - pivot[0]), dy = (at->y_up ? -at->scale[1] : at->scale[1]) * (edges[corners[i][1]] - pivot[1]);
        quad->positions[i][0] = (float)(at->at[0] + (cosine * dx - sine * dy));
        quad->positions[i][1] = (float)(at->at[1] + (sine * dx + cosine * dy));
    }
    how.v_up = at->v_up, how.shrink = at->shrink;
    zr_uvs(sprite, &how, quad->uvs);
    memcpy(quad->indices, indices[(at->scale[0] < 0) != (at->scale[1] < 0)], 6);
}

void zr_draw(const zr_sprite *sprite, const zr_placement *at, zr_quad *quad) {
    double edges[4];
    edges[0] = sprite->inset[0], edges[2] = sprite->inset[0] + sprite->box[2 + sprite->turned];
    edges[1] = sprite->inset[1], edges[3] = sprite->inset[1] + sprite->box[3 - sprite->turned];
    zr_draw_over(sprite, edges, sprite->pivot, at, quad);
}

/* One side of a stretched sprite: its bands on the canvas, and where they are drawn. */
typedef struct zr_bands {
    int from[4], copies;
    double to[4];
} zr_bands;

static zr_bands zr_split(int length, int first, int last, double to, int tiled) {
    double both = (double)first + last, between = length - both, size = both > to ? to / both : 1, copies = 1;
    zr_bands bands;
    bands.from[0] = 0, bands.from[1] = first, bands.from[2] = length - last, bands.from[3] = length;
    /* Bands that do not fit side by side shrink in proportion. */
    bands.to[0] = 0, bands.to[1] = first * size, bands.to[2] = to - last * size, bands.to[3] = to;
    if (tiled && between > 0) copies = floor((bands.to[2] - bands.to[1]) / between + 0.5);
    bands.copies = copies > 1024 ? 1024 : copies >= 1 ? (int)copies : 1;
    return bands;
}

/* The piece at a place, counted over all copies of the middle; 0 where it has no room. */
static int zr_piece(const zr_bands *bands, int nth, int *start, int *length, double to[2]) {
    int band = nth == 0 ? 0 : nth <= bands->copies ? 1 : 2, copy = band == 1 ? nth - 1 : 0, copies = band == 1 ? bands->copies : 1;
    double from = bands->to[band], end = bands->to[band + 1];
    *start = bands->from[band], *length = bands->from[band + 1] - *start;
    to[0] = from + (end - from) * copy / copies, to[1] = from + (end - from) * (copy + 1) / copies;
    return *length > 0 && to[1] > to[0];
}

static double zr_placed(const zr_bands *bands, double at) {
    int band = at < bands->from[1] ? 0 : at > bands->from[2] ? 2 : 1;
    double start = bands->from[band], length = bands->from[band + 1] - start;
    return length == 0 ? bands->to[band] + (at - start) : bands->to[band] + (at - start) * (bands->to[band + 1] - bands->to[band]) / length;
}

int zr_stretch(const zr_sprite *sprite, double width, double height, int tiled, const zr_placement *at, zr_quad *quads, int room) {
    zr_bands sides[2];
    double pivot[2], to[2][2], edges[4];
    int count = 0, nth[2], start[2], length[2], k;
    zr_sprite part;
    for (k = 0; k < 2; k++) {
        sides[k] = zr_split(sprite->canvas[k], sprite->stretch[k], sprite->stretch[2 + k], k ? height : width, tiled);
        pivot[k] = zr_placed(&sides[k], sprite->pivot[k]);
    }
    for (nth[1] = 0; nth[1] < sides[1].copies + 2; nth[1]++) {
        if (!zr_piece(&sides[1], nth[1], &start[1], &length[1], to[1])) continue;
        for (nth[0] = 0; nth[0] < sides[0].copies + 2; nth[0]++) {
            if (!zr_piece(&sides[0], nth[0], &start[0], &length[0], to[0])) continue;
            if (!zr_part(sprite, start[0], start[1], length[0], length[1], &part)) continue;
            for (k = 0; k < 2; k++) {
                int from = part.inset[k] - start[k], end = from + part.box[k ? 3 - part.turned : 2 + part.turned];
                edges[k] = to[k][0] + (to[k][1] - to[k][0]) * from / length[k];
                edges[2 + k] = to[k][0] + (to[k][1] - to[k][0]) * end / length[k];
            }
            if (count++ < room) zr_draw_over(&part, edges, pivot, at, &quads[count - 1]);
        }
    }
    return count;
}

static int zr_before(zr_time a, zr_time b) { return a.ns < b.ns || (a.ns == b.ns && a.rest < b.rest); }

static zr_time zr_less(zr_time a, zr_time b, int64_t parts) {
    a.ns -= b.ns, a.rest -= b.rest;
    if (a.rest < 0) a.ns--, a.rest += parts;
    return a;
}

/* Moves a time into the first period, and returns how many periods lie before it. Uses only sums and halves, so it is exact. */
static int64_t zr_fold(const zr_clip *clip, zr_time *time) {
    const zr_time zero = {0, 0}, length = clip->starts[clip->turn_count];
    const int64_t parts = clip->rest_parts;
    zr_time rest = *time, by = length;
    int64_t times = 1, played = 0;
    int below = zr_before(*time, zero);
    if (clip->mode == ZR_ONCE || clip->still) {
        int64_t over = !clip->still && !zr_before(*time, length);
        if (below) *time = clip->still && clip->mode != ZR_ONCE ? clip->starts[clip->turn_count - 1] : zero;
        return over ? (*time = length, 1) : below && clip->mode != ZR_ONCE ? -1 : 0;
    }
    if (below) rest = zr_less(zero, *time, parts);
    while (by.ns <= INT64_MAX / 4 && !zr_before(rest, zr_sum(by, by, parts))) by = zr_sum(by, by, parts), times *= 2;
    for (; times > 0; times /= 2) {
        if (!zr_before(rest, by)) rest = zr_less(rest, by, parts), played += times;
        by.rest = (by.rest + by.ns % 2 * parts) / 2, by.ns /= 2;
    }
    if (below && (rest.ns || rest.rest)) rest = zr_less(length, rest, parts), played++;
    *time = rest;
    return below ? -played : played;
}

static int zr_turn_at(const zr_clip *clip, zr_time time) {
    int low = 0, high = clip->turn_count;
    while (high - low > 1) {
        int middle = low + (high - low) / 2;
        if (zr_before(time, clip->starts[middle])) high = middle;
        else low = middle;
    }
    return low;
}

static int zr_step_in(const zr_clip *clip, int turn) { return turn < clip->step_count ? turn : 2 * clip->step_count - 2 - turn; }

static zr_time zr_moment(int64_t nanoseconds) {
    zr_time time = {0, 0};
    time.ns = nanoseconds > ZR_LATEST ? ZR_LATEST : nanoseconds < -ZR_LATEST ? -ZR_LATEST : nanoseconds;
    return time;
}

zr_shown zr_show(const zr_clip *clip, int64_t nanoseconds) {
    zr_time time = zr_moment(nanoseconds);
    zr_shown shown;
    shown.played = zr_fold(clip, &time);
    shown.step = zr_step_in(clip, zr_turn_at(clip, time));
    shown.ended = clip->mode == ZR_ONCE && shown.played > 0;
    return shown;
}

void zr_play(zr_player *player, const zr_clip *clip, int64_t nanoseconds) {
    memset(player, 0, sizeof *player);
    player->clip = clip;
    player->now = zr_moment(nanoseconds);
    zr_fold(clip, &player->now);
    player->turn = zr_turn_at(clip, player->now);
}

void zr_advance(zr_player *player, int64_t nanoseconds) {
    const zr_clip *clip = player->clip;
    int64_t played, whole, most = INT64_MAX / 4 / clip->turn_count;
    player->told = player->turn;
    player->now = zr_sum(player->now, zr_moment(nanoseconds), clip->rest_parts);
    played = zr_fold(clip, &player->now);
    player->turn = zr_turn_at(clip, player->now);
    whole = clip->mode == ZR_ONCE ? 0 : played > most ? most : played < -most ? -most : played;
    player->entered = whole * clip->turn_count + player->turn - player->told;
    player->played = clip->mode == ZR_ONCE ? played : player->played + played;
}

const zr_step *zr_next_step(zr_player *player) {
    const int turns = player->clip->turn_count, by = player->entered > 0 ? 1 : -1;
    if (player->entered == 0) return NULL;
    player->entered -= by;
    player->told = (player->told + by + turns) % turns;
    return &player->clip->steps[zr_step_in(player->clip, player->told)];
}

const zr_step *zr_step_of(const zr_player *player) { return &player->clip->steps[zr_step_in(player->clip, player->turn)]; }

int zr_ended(const zr_player *player) { return player->clip->mode == ZR_ONCE && player->played > 0; }

#endif
