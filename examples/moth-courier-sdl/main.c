/* Moth Courier on SDL2: a moth flies over a pond among lanterns, drawn through the cache of libzemtak.
 *
 *     moth-courier-sdl BUILD              in a window
 *     moth-courier-sdl BUILD FRAME FILE   draws so many frames without one, and writes the last: 640 x 360 pixels, RGBA
 */
#include <SDL.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <zemtak.h>

enum { WIDTH = 640, HEIGHT = 360, TILES = 10, THINGS = 7, CLIPS = 6, VERTEX = 20 };

/* ---- The sink: textures of SDL. ---- */

static SDL_BlendMode blending(const zemtak_new_texture *wanted) {
    if (!wanted->premultiplied) return SDL_BLENDMODE_BLEND;
    return SDL_ComposeCustomBlendMode(SDL_BLENDFACTOR_ONE, SDL_BLENDFACTOR_ONE_MINUS_SRC_ALPHA, SDL_BLENDOPERATION_ADD, SDL_BLENDFACTOR_ONE,
                                      SDL_BLENDFACTOR_ONE_MINUS_SRC_ALPHA, SDL_BLENDOPERATION_ADD);
}

static int32_t make_texture(void *user, const zemtak_new_texture *wanted, uint64_t *number) {
    const zemtak_level *level = &wanted->levels[0];
    SDL_Texture *texture = SDL_CreateTexture((SDL_Renderer *)user, SDL_PIXELFORMAT_RGBA32, SDL_TEXTUREACCESS_STATIC, (int)level->width, (int)level->height);
    if (!texture) return 1;
    SDL_SetTextureBlendMode(texture, blending(wanted));
    SDL_SetTextureScaleMode(texture, wanted->filter == 0 ? SDL_ScaleModeNearest : SDL_ScaleModeLinear);
    if (SDL_UpdateTexture(texture, NULL, level->bytes, (int)level->width * 4) != 0) {
        SDL_DestroyTexture(texture);
        return 2;
    }
    *number = (uint64_t)(uintptr_t)texture;
    return 0;
}

static void drop_texture(void *user, uint64_t number) {
    (void)user;
    SDL_DestroyTexture((SDL_Texture *)(uintptr_t)number);
}

/* ---- The game. ---- */

typedef struct game {
    zemtak_cache *cache;
    zemtak_pump *pump;
    uint64_t night, batch;              /* all that the scene needs, held together; what is drawn of it in a frame */
    zemtak_sprite tiles[TILES], things[THINGS];
    uint64_t clips[CLIPS];              /* what plays */
    zemtak_placement clip_at[CLIPS];
    SDL_Vertex *vertices;
    int *indices;
    uint32_t quads;                     /* so many of which there is room, and indices */
} game;

static int failed(const char *what, zemtak_code code, const zemtak_text *error) {
    fprintf(stderr, "%s: %s (code %d)\n", what, error && error->text[0] ? (const char *)error->text : "it cannot be done", (int)code);
    return 0;
}

static zemtak_placement at(double x, double y, double scale_x, double scale_y) {
    zemtak_placement placement = {{x, y}, {scale_x, scale_y}, 0, 0, false, false};
    return placement;
}

static void lease(game *g, zemtak_sprite *sprite, const char *name, zemtak_placement where) {
    zemtak_lease_take(g->cache, name, &sprite->lease);
    sprite->at = where;
}

static void play(game *g, int place, const char *name, zemtak_placement where) {
    uint64_t clip = 0;
    zemtak_clip_take(g->cache, name, &clip);
    zemtak_playing_take(g->cache, clip, 1, 1, 0, &g->clips[place]);
    zemtak_clip_release(g->cache, clip); /* what plays holds it */
    g->clip_at[place] = where;
}

static int enter_night(game *g) {
    static const char *const all[] = {"scene:**"};
    zemtak_text error = {{0}};
    zemtak_sprite moon;
    zemtak_code code;
    int i;
    zemtak_set_take(g->cache, all, 1, &g->night);
    code = zemtak_pump_wait(g->pump, g->cache, g->night, &error); /* a loading screen would pump and look at zemtak_set_progress */
    if (code != ZEMTAK_OK) return failed("the scene", code, &error);
    for (i = 0; i < TILES; i++) lease(g, &g->tiles[i], "scene:tile/water", at(32 + 64 * i, 328, 1, 1));
    lease(g, &g->things[0], "scene:moon/phase/04", at(556, 60, 1, 1));
    lease(g, &g->things[1], "scene:star/large", at(40, 30, 1, 1));
    lease(g, &g->things[2], "scene:star/small", at(150, 52, 1, 1));
    lease(g, &g->things[3], "scene:star/large", at(270, 90, 3, 3));
    lease(g, &g->things[4], "scene:letter/sealed", at(320, 190, 1, -1)); /* it falls, upside down */
    lease(g, &g->things[5], "scene:letterbox/open/00", at(590, 262, 1, 1));
    lease(g, &moon, "scene:moon/phase/00", at(0, 0, 1, 1));
    g->things[6].at = at(330, 96, 1, 1);
    zemtak_lease_part(g->cache, moon.lease, 10, 0, 30, 72, &g->things[6].lease); /* an old moon, behind the edge of the sky */
    zemtak_lease_release(g->cache, moon.lease);
    play(g, 0, "scene:reed/sway", at(100, 262, 1, 1));
    play(g, 1, "scene:reed/sway", at(470, 268, -1, 1));
    play(g, 2, "scene:lantern/amber", at(200, 0, 1, 1));
    play(g, 3, "scene:lantern/rose", at(420, 20, 1, 1));
    play(g, 4, "scene:moth/fly", at(0, 0, 1, 1));
    play(g, 5, "scene:moth/fly", at(0, 0, -1, 1));
    return 1;
}

static int open_game(game *g, const char *build, SDL_Renderer *renderer) {
    zemtak_root root = {build, NULL};
    zemtak_settings settings = {0};
    zemtak_sink sink = {0};
    zemtak_code code;
    memset(g, 0, sizeof *g);
    settings.roots = &root, settings.root_count = 1, settings.watch_ms = 500;
    sink.user = renderer, sink.make_texture = make_texture, sink.drop_texture = drop_texture;
    code = zemtak_cache_open(&settings, &sink, &g->cache, &g->pump);
    if (code != ZEMTAK_OK) return failed("the cache", code, NULL);
    zemtak_batch_take(g->cache, &g->batch);
    return enter_night(g);
}

static void close_game(game *g) {
    free(g->indices), free(g->vertices);
    if (g->pump) zemtak_pump_close(&g->pump);
    if (g->cache) zemtak_cache_close(&g->cache); /* gives back what was leased */
}

/* Goes on to a frame: from the start to 0, then by a sixtieth of a second each. */
static void go_on(game *g, int frame) {
    zemtak_moment moment;
    int i;
    for (i = 0; i < CLIPS; i++) zemtak_playing_advance(g->cache, g->clips[i], frame == 0 ? 0 : 16666667, &moment);
    g->clip_at[4].at[0] = frame * 2 % (WIDTH + 64) - 32, g->clip_at[4].at[1] = 230;
    g->clip_at[5].at[0] = WIDTH - frame % (WIDTH + 64) + 32, g->clip_at[5].at[1] = 170;
}

/* Room for so many quads, and their indices, which are the same in all frames. */
static int have_room(game *g, uint32_t quads) {
    static const int corners[6] = {0, 1, 2, 0, 2, 3};
    uint32_t i;
    if (quads <= g->quads) return 1;
    free(g->indices), free(g->vertices);
    g->indices = (int *)malloc((size_t)quads * 6 * sizeof *g->indices);
    g->vertices = (SDL_Vertex *)malloc((size_t)quads * 4 * sizeof *g->vertices);
    g->quads = g->indices && g->vertices ? quads : 0;
    for (i = 0; i < g->quads * 6; i++) g->indices[i] = (int)(i / 6) * 4 + corners[i % 6];
    return g->quads > 0;
}

/* A quad for SDL. Its software renderer copies rectangles exactly, if they begin at the upper left corner of the screen, which those of mirrored
 * sprites do not, and if no number of texels is a little too small, for it cuts the rest off: a hundredth of one more, in the direction in which
 * the texture is read, does no harm. */
static void for_sdl(const uint8_t *vertices, const int *size, SDL_Vertex *to) {
    float all[4][4], more[2];
    int corner, axis, first = 0;
    for (corner = 0; corner < 4; corner++) {
        memcpy(all[corner], vertices + corner * VERTEX, sizeof all[corner]);
        if (all[corner][0] + all[corner][1] < all[first][0] + all[first][1]) first = corner;
    }
    for (axis = 0; axis < 2; axis++) more[axis] = 0.01f / (float)size[axis];
    for (corner = 0; corner < 4; corner++) {
        const float *upper_left = all[first], *own = all[(first + corner) % 4];
        to[corner].position.x = own[0], to[corner].position.y = own[1];
        to[corner].tex_coord.x = own[2] + (own[2] < upper_left[2] ? -more[0] : more[0]);
        to[corner].tex_coord.y = own[3] + (own[3] < upper_left[3] ? -more[1] : more[1]);
        memcpy(&to[corner].color, vertices + (first + corner) % 4 * VERTEX + 16, 4);
    }
}

static void draw(game *g, SDL_Renderer *renderer) {
    zemtak_laid_out laid_out;
    uint32_t i;
    zemtak_batch_clear(g->cache, g->batch);
    zemtak_batch_add(g->cache, g->batch, g->tiles, TILES);
    zemtak_batch_add(g->cache, g->batch, g->things, THINGS);
    for (i = 0; i < CLIPS; i++) zemtak_batch_add_playing(g->cache, g->batch, g->clips[i], &g->clip_at[i], NULL);
    SDL_SetRenderDrawColor(renderer, 18, 20, 46, 255);
    SDL_RenderClear(renderer);
    if (zemtak_batch_lay_out(g->cache, g->batch, true, false, &laid_out) != ZEMTAK_OK) return;
    for (i = 0; i < laid_out.draw_count; i++) {
        const zemtak_draw *one = &laid_out.draws[i];
        SDL_Texture *texture = (SDL_Texture *)(uintptr_t)one->texture;
        int size[2] = {1, 1};
        uint32_t quad;
        if (!have_room(g, one->quads)) return;
        SDL_QueryTexture(texture, NULL, NULL, &size[0], &size[1]);
        for (quad = 0; quad < one->quads; quad++) for_sdl(laid_out.bytes + (size_t)(one->first + quad) * 4 * VERTEX, size, &g->vertices[quad * 4]);
        SDL_RenderGeometry(renderer, texture, g->vertices, (int)one->quads * 4, g->indices, (int)one->quads * 6);
    }
}

static int write_frame(SDL_Renderer *renderer, const char *path) {
    static uint8_t pixels[WIDTH * HEIGHT * 4];
    FILE *file;
    size_t written;
    if (SDL_RenderReadPixels(renderer, NULL, SDL_PIXELFORMAT_RGBA32, pixels, WIDTH * 4) != 0) return failed(SDL_GetError(), ZEMTAK_FAILED, NULL);
    if (!(file = fopen(path, "wb"))) return failed(path, ZEMTAK_FAILED, NULL);
    written = fwrite(pixels, 1, sizeof pixels, file);
    return fclose(file) == 0 && written == sizeof pixels;
}

static int closed(void) {
    SDL_Event event;
    while (SDL_PollEvent(&event))
        if (event.type == SDL_QUIT) return 1;
    return 0;
}

int main(int count, char **words) {
    const int last = count == 4 ? atoi(words[2]) : -1; /* -1: until the window is closed */
    SDL_Window *window;
    SDL_Renderer *renderer = NULL;
    game g = {0};
    int frame, well = 0;
    if (count != 2 && count != 4) return fprintf(stderr, "moth-courier-sdl BUILD [FRAME FILE]\n"), 2;
    if (SDL_Init(SDL_INIT_VIDEO) != 0) return fprintf(stderr, "%s\n", SDL_GetError()), 1;
    window = SDL_CreateWindow("Moth Courier", SDL_WINDOWPOS_CENTERED, SDL_WINDOWPOS_CENTERED, WIDTH, HEIGHT, 0);
    if (window) renderer = SDL_CreateRenderer(window, -1, last >= 0 ? SDL_RENDERER_SOFTWARE : SDL_RENDERER_PRESENTVSYNC);
    if (renderer && open_game(&g, words[1], renderer)) {
        for (frame = 0; last < 0 ? !closed() : frame <= last; frame++) {
            zemtak_pump_run(g.pump, NULL, NULL);
            go_on(&g, frame);
            draw(&g, renderer);
            if (frame != last) SDL_RenderPresent(renderer);
        }
        well = last < 0 || write_frame(renderer, words[3]);
    } else if (!renderer) {
        fprintf(stderr, "%s\n", SDL_GetError());
    }
    close_game(&g);
    if (renderer) SDL_DestroyRenderer(renderer);
    if (window) SDL_DestroyWindow(window);
    SDL_Quit();
    return well ? 0 : 1;
}
