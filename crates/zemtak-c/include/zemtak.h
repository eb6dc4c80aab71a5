/* SPDX-License-Identifier: MIT OR Apache-2.0
 *
 * The resource cache of Zemtak for C and C++: libzemtak. Made by scripts/header of what crates/zemtak-c exports.
 *
 * Each texture is loaded once, however many ask for it, shared by counted leases, and dropped when its room is needed and nobody
 * holds it. Textures are made and dropped by a pump on the thread of the graphics API, through a table of functions of the game's
 * own; files are read and decoded by other threads. docs/c.md tells the story.
 *
 * Calls on a cache may come from any thread; those on a pump come from the thread that opened it, or end with ZEMTAK_WRONG_THREAD.
 * Nothing is global. A null pointer and a handle that was given back are told by a code. What a call writes is the caller's.
 */

#ifndef ZEMTAK_H
#define ZEMTAK_H

#include <stdarg.h>
#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>
#include <stdlib.h>

/**
 * The bytes of a text that is handed out, the zero at its end among them.
 */
#define ZEMTAK_TEXT_BYTES 256

/**
 * How a call ended.
 */
typedef enum zemtak_code {
  /**
   * As asked.
   */
  ZEMTAK_OK = 0,
  /**
   * A pointer is null that must not be.
   */
  ZEMTAK_NULL = 1,
  /**
   * A handle is none, was given back, or is of another kind. Handles of one cache mean nothing to another.
   */
  ZEMTAK_STALE = 2,
  /**
   * It is not there yet.
   */
  ZEMTAK_NOT_READY = 3,
  /**
   * It cannot be had; the error says why.
   */
  ZEMTAK_FAILED = 4,
  /**
   * A text is not UTF-8.
   */
  ZEMTAK_NOT_UTF8 = 5,
  /**
   * The call belongs on the thread that opened the cache.
   */
  ZEMTAK_WRONG_THREAD = 6,
  /**
   * Nothing of what was asked for is stored.
   */
  ZEMTAK_NOTHING = 7,
  /**
   * A number is out of range.
   */
  ZEMTAK_OUT_OF_RANGE = 8,
  /**
   * A bug in the library: what was called upon did not come to its end.
   */
  ZEMTAK_BUG = 9,
} zemtak_code;

/**
 * What happened.
 */
typedef enum zemtak_event_kind {
  /**
   * A descriptor was read.
   */
  ZEMTAK_EVENT_OPENED = 0,
  /**
   * A texture is there.
   */
  ZEMTAK_EVENT_LOADED = 1,
  /**
   * Something cannot be had; the text says why.
   */
  ZEMTAK_EVENT_FAILED = 2,
  /**
   * A new version has taken the place of the old one.
   */
  ZEMTAK_EVENT_REPLACED = 3,
  /**
   * A page was painted over since it was packed.
   */
  ZEMTAK_EVENT_REPAINTED = 4,
  /**
   * A new version is broken, the old one is still drawn; the text says why.
   */
  ZEMTAK_EVENT_KEPT_OLD = 5,
  /**
   * A texture was dropped.
   */
  ZEMTAK_EVENT_EVICTED = 6,
  /**
   * A texture was given up before it was made.
   */
  ZEMTAK_EVENT_CANCELLED = 7,
  /**
   * Leases alone hold more than the budget.
   */
  ZEMTAK_EVENT_OVER_BUDGET = 8,
  /**
   * Something that this version of the interface does not tell apart.
   */
  ZEMTAK_EVENT_OTHER = 9,
} zemtak_event_kind;

/**
 * A cache, and all that was leased from it. Its calls may come from any thread.
 */
typedef struct zemtak_cache zemtak_cache;

/**
 * Makes and drops the textures of a cache, on the thread that opened it.
 */
typedef struct zemtak_pump zemtak_pump;

/**
 * The account of a cache.
 */
typedef struct zemtak_ledger {
  /**
   * Leases that were asked for.
   */
  uint64_t requests;
  /**
   * Textures that were made.
   */
  uint64_t loads;
  /**
   * Their bytes.
   */
  uint64_t loaded_bytes;
  /**
   * Textures that were dropped to make room, for a trim, or for another reason.
   */
  uint64_t evictions;
  /**
   * Files that could not be had.
   */
  uint64_t failures;
  /**
   * Bytes of textures that are there.
   */
  uint64_t resident_bytes;
  /**
   * The most that ever were.
   */
  uint64_t peak_bytes;
  /**
   * Bytes of textures that are leased.
   */
  uint64_t leased_bytes;
  /**
   * Leases that are not given back.
   */
  uint64_t leases;
  /**
   * Handles that are not given back: leases, sets, clips, what plays, and batches.
   */
  uint64_t handles;
} zemtak_ledger;

/**
 * Where and how a sprite is drawn: its pivot at `at`, scaled (a negative scale mirrors), then turned, clockwise as seen; with `y_up` the
 * screen's y goes up and it turns counter-clockwise. With `v_up` row 0 of the page is at v = 1. `shrink` moves texture coordinates
 * inwards by so many texels.
 */
typedef struct zemtak_placement {
  /**
   * Where its pivot goes.
   */
  double at[2];
  /**
   * Screen units for a canvas pixel.
   */
  double scale[2];
  /**
   * By how many degrees it is turned.
   */
  double degrees;
  /**
   * Half a texel keeps linear filtering within the box.
   */
  double shrink;
  /**
   * Which way the screen's y goes.
   */
  bool y_up;
  /**
   * Which way V goes.
   */
  bool v_up;
} zemtak_placement;

/**
 * How a sprite is drawn beside where. All zero is layer 0, white.
 */
typedef struct zemtak_look {
  /**
   * Lower layers are drawn first.
   */
  int32_t layer;
  /**
   * Red, green, blue and alpha that its pixels are multiplied with; four zeros stand for white.
   */
  uint8_t tint[4];
} zemtak_look;

/**
 * A sprite to be drawn.
 */
typedef struct zemtak_sprite {
  /**
   * A lease.
   */
  uint64_t lease;
  /**
   * Where.
   */
  struct zemtak_placement at;
  /**
   * How.
   */
  struct zemtak_look look;
} zemtak_sprite;

/**
 * Two triangles.
 */
typedef struct zemtak_quad {
  /**
   * The number that the sink gave their texture.
   */
  uint64_t texture;
  /**
   * Where the upright corners are drawn: top left, top right, bottom right, bottom left.
   */
  float positions[4][2];
  /**
   * Their texture coordinates.
   */
  float uvs[4][2];
  /**
   * Six indices of them.
   */
  uint8_t indices[6];
} zemtak_quad;

/**
 * Quads that are drawn with one texture, one after the other.
 */
typedef struct zemtak_draw {
  /**
   * The number that the sink gave it.
   */
  uint64_t texture;
  /**
   * The first quad: its vertices begin at four times this, which is the base of the indices.
   */
  uint32_t first;
  /**
   * How many quads: at most 16,384, whose vertices 16-bit indices reach.
   */
  uint32_t quads;
} zemtak_draw;

/**
 * What a batch is to be drawn with. It stays where it is until the next call with that batch.
 */
typedef struct zemtak_laid_out {
  /**
   * Vertices, four for each quad, 20 bytes each: x, y, u, v as 32-bit floats, then red, green, blue, alpha as bytes of which 255 is 1.
   * Of instances one for each quad, 52 bytes each: as 32-bit floats the place of the upright sprite's top left corner, the way from there
   * to its top right, and to its bottom left, then the same three on the texture; then the colour. Little-endian.
   */
  const uint8_t *bytes;
  /**
   * How many bytes.
   */
  uint64_t length;
  /**
   * What to draw, in order.
   */
  const struct zemtak_draw *draws;
  /**
   * How many draws.
   */
  uint32_t draw_count;
  /**
   * How many quads they have together.
   */
  uint32_t quads;
  /**
   * How many sprites were left out since they lie outside of the screen.
   */
  uint32_t culled;
} zemtak_laid_out;

/**
 * Files by functions, for archives of the game's own. They are called from several threads at once. Paths have `/` between their parts, and
 * never empty parts, `.`, `..`, `:` or `\`.
 */
typedef struct zemtak_files {
  /**
   * Handed to each function.
   */
  void *user;
  /**
   * Tells a file's length and a version that changes whenever the file does. 0 where it could, 1 where there is no such file, anything
   * else where it cannot be read.
   */
  int32_t (*stamp)(void *user, const char *path, uint64_t *length, uint64_t *version);
  /**
   * Fills a buffer of that length. 0 where it could.
   */
  int32_t (*read)(void *user, const char *path, uint8_t *buffer, uint64_t length);
  /**
   * Hands the path of each file to `emit`. 0 where it could. May be null: then globs over loose images match nothing.
   */
  int32_t (*list)(void *user, void (*emit)(void *to, const char *path), void *to);
} zemtak_files;

/**
 * Where files are looked for: a folder or, where that is null, functions.
 */
typedef struct zemtak_root {
  /**
   * A folder.
   */
  const char *folder;
  /**
   * Functions; copied.
   */
  const struct zemtak_files *files;
} zemtak_root;

/**
 * How a cache works. All zero is the default but for the roots.
 */
typedef struct zemtak_settings {
  /**
   * Where files are looked for, the first root first.
   */
  const struct zemtak_root *roots;
  /**
   * How many.
   */
  uint32_t root_count;
  /**
   * How many threads decode: 0 for as many as the machine has cores, -1 to have the pump do it.
   */
  int32_t workers;
  /**
   * Bytes of texture memory within which textures stay that nobody holds; 0 for 256 MiB.
   */
  uint64_t budget;
  /**
   * How often files are looked at for changes, in milliseconds; 0 for never.
   */
  uint32_t watch_ms;
  /**
   * Red, green, blue and alpha of what is drawn for what is not there yet; alpha 0 for nothing.
   */
  uint8_t stand_in[4];
} zemtak_settings;

/**
 * A mip level of a texture to be made.
 */
typedef struct zemtak_level {
  /**
   * Its width in pixels.
   */
  uint32_t width;
  /**
   * Its height in pixels.
   */
  uint32_t height;
  /**
   * Rows from the top: of 8-bit RGBA, or of blocks of 4 x 4 pixels.
   */
  const uint8_t *bytes;
  /**
   * How many bytes.
   */
  uint64_t length;
} zemtak_level;

/**
 * A texture to be made. What it leads to is there until the call returns.
 */
typedef struct zemtak_new_texture {
  /**
   * The file, as a name in tools that look at textures.
   */
  const char *label;
  /**
   * Which layer of its page it is, such as `normal`; null for the page itself.
   */
  const char *layer;
  /**
   * How its levels store pixels: 0 RGBA8, 1 BC1, 2 BC3, 3 BC7.
   */
  uint32_t kind;
  /**
   * 0 nearest, 1 linear.
   */
  uint32_t filter;
  /**
   * 0 clamp, 1 repeat, 2 mirror.
   */
  uint32_t wrap;
  /**
   * Whether colours are multiplied by alpha.
   */
  bool premultiplied;
  /**
   * Whether numbers are plain, not sRGB.
   */
  bool linear;
  /**
   * Its mip levels, the full size first.
   */
  const struct zemtak_level *levels;
  /**
   * How many: at least one.
   */
  uint32_t level_count;
} zemtak_new_texture;

/**
 * Rows of a texture that is filled over several frames.
 */
typedef struct zemtak_rows {
  /**
   * The mip level, 0 for the full size.
   */
  uint32_t level;
  /**
   * How they store pixels, as in `zemtak_new_texture`.
   */
  uint32_t kind;
  /**
   * How many pixels a row has: the width of the level.
   */
  uint32_t width;
  /**
   * The first of them, counted from the top.
   */
  uint32_t first;
  /**
   * How many there are. Of blocks they begin and end with whole ones, but for the last of a level.
   */
  uint32_t rows;
  /**
   * Their bytes, one row after the other.
   */
  const uint8_t *bytes;
  /**
   * How many bytes.
   */
  uint64_t length;
} zemtak_rows;

/**
 * Makes and drops textures. Called on the thread that opened the cache and on no other.
 */
typedef struct zemtak_sink {
  /**
   * Handed to each function.
   */
  void *user;
  /**
   * Makes a texture and writes its number. 0 where it could, 1 where the device is out of memory, anything else where it cannot be.
   */
  int32_t (*make_texture)(void *user, const struct zemtak_new_texture *wanted, uint64_t *texture);
  /**
   * Drops a texture: each that was made, once.
   */
  void (*drop_texture)(void *user, uint64_t texture);
  /**
   * The longest side that a texture may have; 0 for 16,384.
   */
  uint32_t largest_side;
  /**
   * Whether textures are made of blocks too (BC1, BC3, BC7); else these are unpacked.
   */
  bool takes_blocks;
  /**
   * Makes a texture with room for all levels, to be filled by `write_rows` over several frames: it is called where a page has more bytes
   * than a frame may take. Ends as `make_texture` does. May be null, as both may: then such a page is made at once.
   */
  int32_t (*make_empty)(void *user, const struct zemtak_new_texture *wanted, uint64_t *texture);
  /**
   * Fills rows of such a texture. 0 where it could; else the texture is dropped.
   */
  int32_t (*write_rows)(void *user, uint64_t texture, const struct zemtak_rows *rows);
} zemtak_sink;

/**
 * A text that is handed out: what went wrong, or an event of a clip.
 */
typedef struct zemtak_text {
  /**
   * Ends with a zero byte.
   */
  uint8_t text[ZEMTAK_TEXT_BYTES];
} zemtak_text;

/**
 * What is known of a clip.
 */
typedef struct zemtak_clip_details {
  /**
   * How it goes on after its last step: 0 begins again, 1 stays there, 2 goes back and forth.
   */
  uint32_t mode;
  /**
   * How many steps it has.
   */
  uint32_t steps;
  /**
   * How long it takes to play once, there and back where it bounces.
   */
  uint64_t nanoseconds;
} zemtak_clip_details;

/**
 * What a lease shows.
 */
typedef struct zemtak_view {
  /**
   * The number that the sink gave its texture.
   */
  uint64_t texture;
  /**
   * u and v of the upright corners: top left, top right, bottom right, bottom left; V down, row 0 at v = 0.
   */
  float uvs[4][2];
  /**
   * The point by which it is placed, in canvas pixels.
   */
  double pivot[2];
  /**
   * Its full size.
   */
  uint32_t canvas[2];
  /**
   * Where what is stored lies on the canvas: x, y, width, height.
   */
  uint32_t visible[4];
  /**
   * Whether it stands in for what is not there.
   */
  bool stand_in;
} zemtak_view;

/**
 * What a clip shows now.
 */
typedef struct zemtak_moment {
  /**
   * The step's number, from 0.
   */
  uint32_t step;
  /**
   * Whether a clip that plays once is over.
   */
  bool ended;
  /**
   * Whether there is anything to draw: the view is good.
   */
  bool drawn;
  /**
   * How often it has played through.
   */
  int64_t played;
  /**
   * Events of the steps that began on the way: `zemtak_playing_event` tells them.
   */
  uint32_t event_count;
  /**
   * What is to be drawn.
   */
  struct zemtak_view view;
} zemtak_moment;

/**
 * Something that happened.
 */
typedef struct zemtak_event {
  /**
   * What.
   */
  enum zemtak_event_kind kind;
  /**
   * Bytes of the texture, or of all textures.
   */
  uint64_t bytes;
  /**
   * The atlas or file, or the whole message of a failure. Ends with a zero byte.
   */
  uint8_t text[ZEMTAK_TEXT_BYTES];
} zemtak_event;

/**
 * How much a pump does at most. 0 stands for the default.
 */
typedef struct zemtak_per_frame {
  /**
   * Textures that are made; one by default.
   */
  uint32_t uploads;
  /**
   * Bytes that are uploaded.
   */
  uint64_t bytes;
  /**
   * Microseconds that it takes.
   */
  uint64_t microseconds;
} zemtak_per_frame;

/**
 * What a pump did.
 */
typedef struct zemtak_pumped {
  /**
   * Textures that it made.
   */
  uint32_t made;
  /**
   * Textures that it dropped.
   */
  uint32_t dropped;
  /**
   * Textures that wait for the next one.
   */
  uint32_t ready;
} zemtak_pumped;

/**
 * How far many sprites are.
 */
typedef struct zemtak_progress {
  /**
   * Sprites that can be drawn.
   */
  uint32_t done;
  /**
   * Sprites that cannot be had.
   */
  uint32_t failed;
  /**
   * All that are known.
   */
  uint32_t total;
  /**
   * Whether all are known: globs are looked up first.
   */
  bool complete;
  /**
   * Bytes of textures that are there.
   */
  uint64_t bytes;
  /**
   * Of all that are known.
   */
  uint64_t total_bytes;
} zemtak_progress;

#ifdef __cplusplus
extern "C" {
#endif // __cplusplus

/**
 * Tells the account.
 */
enum zemtak_code zemtak_cache_ledger(const struct zemtak_cache *cache, struct zemtak_ledger *ledger);

/**
 * Tells all of the account as JSON, with who holds what by name and each texture: `requests`, `loads`, `held`, `textures` and the rest.
 * Writes at most `size` bytes to `buffer`, a zero at the end among them, and how many all of it takes to `length`; `ZEMTAK_OUT_OF_RANGE`
 * where that is more than `size`.
 */
enum zemtak_code zemtak_cache_ledger_json(const struct zemtak_cache *cache,
                                          char *buffer,
                                          uint64_t size,
                                          uint64_t *length);

/**
 * Opens a batch: it takes sprites and gives what a graphics API draws. Kept from frame to frame it takes no memory. Given back by
 * `zemtak_batch_release`. A batch is used by one thread at a time.
 */
enum zemtak_code zemtak_batch_take(const struct zemtak_cache *cache, uint64_t *batch);

/**
 * Takes all sprites out.
 */
enum zemtak_code zemtak_batch_clear(const struct zemtak_cache *cache, uint64_t batch);

/**
 * Sets what can be seen: left, top, right, bottom, in the units of placements. Sprites that are added after this and lie outside are left
 * out. Null for all.
 */
enum zemtak_code zemtak_batch_set_screen(const struct zemtak_cache *cache,
                                         uint64_t batch,
                                         const float *screen);

/**
 * Adds many sprites at once, as they are at one moment. Those that show nothing yet are left out; with a handle that is stale none is added.
 */
enum zemtak_code zemtak_batch_add(const struct zemtak_cache *cache,
                                  uint64_t batch,
                                  const struct zemtak_sprite *sprites,
                                  uint32_t count);

/**
 * Adds what a clip shows since its last advance. `look` may be null.
 */
enum zemtak_code zemtak_batch_add_playing(const struct zemtak_cache *cache,
                                          uint64_t batch,
                                          uint64_t playing,
                                          const struct zemtak_placement *at,
                                          const struct zemtak_look *look);

/**
 * Adds quads, as those of `zemtak_lease_stretched`. `look` may be null.
 */
enum zemtak_code zemtak_batch_add_quads(const struct zemtak_cache *cache,
                                        uint64_t batch,
                                        const struct zemtak_quad *quads,
                                        uint32_t count,
                                        const struct zemtak_look *look);

/**
 * Lays all sprites out: layers from the lowest; within a layer by texture, or, with `as_added`, in the order in which they were added, for
 * sprites that overlap. As vertices, or as `instances`.
 */
enum zemtak_code zemtak_batch_lay_out(const struct zemtak_cache *cache,
                                      uint64_t batch,
                                      bool as_added,
                                      bool instances,
                                      struct zemtak_laid_out *laid_out);

/**
 * The 16-bit indices of so many quads, six each, for any batch and any draw of it: of each draw the base is its first vertex. Uploaded
 * once, for as many quads as a draw may have. `ZEMTAK_OUT_OF_RANGE` for more than 16,384.
 */
enum zemtak_code zemtak_batch_indices(uint16_t *indices,
                                      uint32_t quads);

/**
 * Gives a batch back. Once more is `ZEMTAK_STALE`.
 */
enum zemtak_code zemtak_batch_release(const struct zemtak_cache *cache, uint64_t batch);

/**
 * Opens a cache, and the pump that makes and drops its textures. This thread is the one of the graphics API: the pump works on no other.
 * Both are to be closed, the pump first or last.
 */
enum zemtak_code zemtak_cache_open(const struct zemtak_settings *settings,
                                   const struct zemtak_sink *sink,
                                   struct zemtak_cache **cache,
                                   struct zemtak_pump **pump);

/**
 * Opens a second pointer to the same cache: what is leased through it is held in a name of the game's own, such as that of a scene, which
 * `zemtak_cache_ledger_json` tells. All handles are the same. It is closed by `zemtak_cache_close`, in any order.
 */
enum zemtak_code zemtak_cache_named(const struct zemtak_cache *cache,
                                    const char *holder,
                                    struct zemtak_cache **named);

/**
 * Closes a cache: gives back all that is still leased, with the last pointer to it, and sets the pointer to null, so that closing it once
 * more is told (`ZEMTAK_NULL`). No other call on it may be under way.
 */
enum zemtak_code zemtak_cache_close(struct zemtak_cache **cache);

/**
 * Has the next pump drop all textures that nobody holds.
 */
enum zemtak_code zemtak_cache_trim(const struct zemtak_cache *cache);

/**
 * Changes the budget. The next pump acts on it.
 */
enum zemtak_code zemtak_cache_set_budget(const struct zemtak_cache *cache, uint64_t bytes);

/**
 * Has a name of the game's own stand for another name from now on.
 */
enum zemtak_code zemtak_cache_alias(const struct zemtak_cache *cache,
                                    const char *alias,
                                    const char *name,
                                    struct zemtak_text *error);

/**
 * Reads the atlas or image of a name anew; a new version takes the place of the old one behind all leases at once.
 */
enum zemtak_code zemtak_cache_reload(const struct zemtak_cache *cache, const char *name);

/**
 * Looks at the files of all atlases and images, and reloads those that have changed.
 */
enum zemtak_code zemtak_cache_reload_changed(const struct zemtak_cache *cache);

/**
 * Tries again to load everything that could not be had.
 */
enum zemtak_code zemtak_cache_retry_all(const struct zemtak_cache *cache);

/**
 * Whether nothing is under way.
 */
enum zemtak_code zemtak_cache_is_idle(const struct zemtak_cache *cache, bool *idle);

/**
 * Leases all sprites of a clip, as `night:moth/fly`. Given back by `zemtak_clip_release`; what plays it holds it too.
 */
enum zemtak_code zemtak_clip_take(const struct zemtak_cache *cache, const char *name, uint64_t *clip);

/**
 * `ZEMTAK_OK` where it can be played, `ZEMTAK_NOT_READY`, or `ZEMTAK_FAILED` with the reason. `error` may be null.
 */
enum zemtak_code zemtak_clip_status(const struct zemtak_cache *cache, uint64_t clip, struct zemtak_text *error);

/**
 * Mode, steps and length of a leased clip; `ZEMTAK_NOT_READY` as long as it is not known.
 */
enum zemtak_code zemtak_clip_info(const struct zemtak_cache *cache, uint64_t clip, struct zemtak_clip_details *info);

/**
 * Hands each clip of an atlas to `emit` with its full name, as `zemtak_clip_take` takes it. `ZEMTAK_NOT_READY` as long as the descriptor is
 * not read; asking has that done, and no page is loaded for it. `error` may be null.
 */
enum zemtak_code zemtak_cache_clips(const struct zemtak_cache *cache,
                                    const char *atlas,
                                    void (*emit)(void *to, const char *name, const struct zemtak_clip_details *info),
                                    void *to,
                                    struct zemtak_text *error);

/**
 * Gives it back. Once more is `ZEMTAK_STALE`.
 */
enum zemtak_code zemtak_clip_release(const struct zemtak_cache *cache, uint64_t clip);

/**
 * Plays a clip at a speed of `speed_num / speed_den` from a place in it. Given back by `zemtak_playing_release`.
 */
enum zemtak_code zemtak_playing_take(const struct zemtak_cache *cache,
                                     uint64_t clip,
                                     int32_t speed_num,
                                     uint32_t speed_den,
                                     uint64_t nanoseconds,
                                     uint64_t *playing);

/**
 * Goes on, or back where that is below 0, and tells what to show.
 */
enum zemtak_code zemtak_playing_advance(const struct zemtak_cache *cache,
                                        uint64_t playing,
                                        int64_t nanoseconds,
                                        struct zemtak_moment *moment);

/**
 * Plays at another speed from here on, `speed_num / speed_den`; below 0 backwards.
 */
enum zemtak_code zemtak_playing_set_speed(const struct zemtak_cache *cache,
                                          uint64_t playing,
                                          int32_t speed_num,
                                          uint32_t speed_den);

/**
 * Goes to a place of the clip, 0 to begin again. What lies before it counts neither as shown nor as played.
 */
enum zemtak_code zemtak_playing_seek(const struct zemtak_cache *cache, uint64_t playing, uint64_t nanoseconds);

/**
 * Plays another clip from here on, at the same speed and as far into it as the one before was: half way stays half way, so that a walk
 * becomes a run without a stumble.
 */
enum zemtak_code zemtak_playing_go_over_to(const struct zemtak_cache *cache,
                                           uint64_t playing,
                                           uint64_t clip);

/**
 * The vertices that draw what the last advance told.
 */
enum zemtak_code zemtak_playing_quad(const struct zemtak_cache *cache,
                                     uint64_t playing,
                                     const struct zemtak_placement *at,
                                     struct zemtak_quad *quad);

/**
 * An event of the last advance, from 0. `ZEMTAK_OUT_OF_RANGE` behind the last.
 */
enum zemtak_code zemtak_playing_event(const struct zemtak_cache *cache, uint64_t playing, uint32_t at, struct zemtak_text *event);

/**
 * Gives it back. Once more is `ZEMTAK_STALE`.
 */
enum zemtak_code zemtak_playing_release(const struct zemtak_cache *cache, uint64_t playing);

/**
 * The next thing that happened, in order; `ZEMTAK_NOTHING` where nothing did.
 */
enum zemtak_code zemtak_cache_next_event(const struct zemtak_cache *cache, struct zemtak_event *event);

/**
 * Leases a sprite by its name, as `night:moth/fly/03`, or a loose image by its path. It never waits: `zemtak_lease_status` tells how far it is.
 * The handle is to be given back by `zemtak_lease_release`.
 */
enum zemtak_code zemtak_lease_take(const struct zemtak_cache *cache,
                                   const char *name,
                                   uint64_t *lease);

/**
 * Looks a name up, to lease it faster: once for a name, for the number is good as long as the cache. Nothing is loaded.
 */
enum zemtak_code zemtak_id_of(const struct zemtak_cache *cache, const char *name, uint64_t *id);

/**
 * Leases a sprite by the number of its name. A number of another cache gives a lease that cannot be had.
 */
enum zemtak_code zemtak_lease_take_id(const struct zemtak_cache *cache, uint64_t id, uint64_t *lease);

/**
 * One more lease of the same sprite or part.
 */
enum zemtak_code zemtak_lease_share(const struct zemtak_cache *cache, uint64_t lease, uint64_t *other);

/**
 * A lease of a part of a sprite, or of a part of this part, in canvas pixels. `ZEMTAK_NOTHING` where nothing of it is stored.
 */
enum zemtak_code zemtak_lease_part(const struct zemtak_cache *cache,
                                   uint64_t lease,
                                   int32_t x,
                                   int32_t y,
                                   uint32_t width,
                                   uint32_t height,
                                   uint64_t *part);

/**
 * Gives a lease back. Once more is `ZEMTAK_STALE`.
 */
enum zemtak_code zemtak_lease_release(const struct zemtak_cache *cache, uint64_t lease);

/**
 * `ZEMTAK_OK` where it can be drawn, `ZEMTAK_NOT_READY`, or `ZEMTAK_FAILED` with the reason. `error` may be null.
 */
enum zemtak_code zemtak_lease_status(const struct zemtak_cache *cache, uint64_t lease, struct zemtak_text *error);

/**
 * What a lease shows: the sprite or, for want of it, what stands in. `ZEMTAK_NOT_READY` where there is neither.
 */
enum zemtak_code zemtak_lease_view(const struct zemtak_cache *cache, uint64_t lease, struct zemtak_view *view);

/**
 * The vertices that draw what a lease shows.
 */
enum zemtak_code zemtak_lease_quad(const struct zemtak_cache *cache,
                                   uint64_t lease,
                                   const struct zemtak_placement *at,
                                   struct zemtak_quad *quad);

/**
 * The quads that draw a sprite stretched to a size in canvas pixels: its bands keep their size, the middle fills the rest, by whole copies
 * where it is `tiled`. Writes at most `capacity` of them to `quads`, which may be null for 0, and tells how many there are. None for a part.
 */
enum zemtak_code zemtak_lease_stretched(const struct zemtak_cache *cache,
                                        uint64_t lease,
                                        double width,
                                        double height,
                                        bool tiled,
                                        const struct zemtak_placement *at,
                                        struct zemtak_quad *quads,
                                        uint32_t capacity,
                                        uint32_t *count);

/**
 * The texture of a layer of its page, such as `normal`: the same corners show it. `ZEMTAK_NOTHING` where the page has no such layer.
 */
enum zemtak_code zemtak_lease_layer(const struct zemtak_cache *cache,
                                    uint64_t lease,
                                    const char *layer,
                                    uint64_t *texture);

/**
 * A named point of it, in canvas pixels. `ZEMTAK_NOTHING` where it has none of that name.
 */
enum zemtak_code zemtak_lease_point(const struct zemtak_cache *cache, uint64_t lease, const char *name, double *x, double *y);

/**
 * Makes and drops textures: once a frame, on the thread that opened the cache. `frame` and `pumped` may be null.
 */
enum zemtak_code zemtak_pump_run(struct zemtak_pump *pump, const struct zemtak_per_frame *frame, struct zemtak_pumped *pumped);

/**
 * Pumps until a sprite (a lease), sprites (a set) or a clip (a clip lease) can be drawn: for a loading screen.
 */
enum zemtak_code zemtak_pump_wait(struct zemtak_pump *pump,
                                  const struct zemtak_cache *cache,
                                  uint64_t handle,
                                  struct zemtak_text *error);

/**
 * All textures are gone with the device: they are made anew, and the sink is not asked to drop them.
 */
enum zemtak_code zemtak_pump_device_lost(struct zemtak_pump *pump);

/**
 * Drops all textures, and sets the pointer to null. Leases show nothing from then on.
 */
enum zemtak_code zemtak_pump_close(struct zemtak_pump **pump);

/**
 * Leases many sprites together: names and globs, as `night:lantern-?`. Given back by `zemtak_set_release`.
 */
enum zemtak_code zemtak_set_take(const struct zemtak_cache *cache, const char *const *names, uint32_t count, uint64_t *set);

/**
 * How far they are.
 */
enum zemtak_code zemtak_set_progress(const struct zemtak_cache *cache, uint64_t set, struct zemtak_progress *progress);

/**
 * What one of them shows, by its place in the order of their names.
 */
enum zemtak_code zemtak_set_view(const struct zemtak_cache *cache, uint64_t set, uint32_t at, struct zemtak_view *view);

/**
 * Gives them back. Once more is `ZEMTAK_STALE`.
 */
enum zemtak_code zemtak_set_release(const struct zemtak_cache *cache, uint64_t set);

#ifdef __cplusplus
}  // extern "C"
#endif  // __cplusplus

#endif  /* ZEMTAK_H */
