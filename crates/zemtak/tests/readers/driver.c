/* Answers a list of questions with the reader for C. */
#define ZR_IMPLEMENTATION
#include "zemtak_reader.h"

#include <locale.h>

static char *whole(const char *path, size_t *length) {
    FILE *file = fopen(path, "rb");
    char *text;
    long size;
    if (!file || fseek(file, 0, SEEK_END) || (size = ftell(file)) < 0) exit(2);
    rewind(file);
    text = (char *)malloc((size_t)size + 1);
    if (!text || fread(text, 1, (size_t)size, file) != (size_t)size) exit(2);
    fclose(file);
    text[size] = 0;
    *length = (size_t)size;
    return text;
}

static void tell_quad(const zr_quad *quad) {
    int i;
    for (i = 0; i < 8; i++) printf("%.9g ", (double)quad->positions[i / 2][i % 2]);
    for (i = 0; i < 8; i++) printf("%.9g ", (double)quad->uvs[i / 2][i % 2]);
    for (i = 0; i < 6; i++) printf("%d ", quad->indices[i]);
}

static void tell_page(const zr_page *p) {
    int i;
    printf("%s %d %d %s %s %s %s %s %d ", p->file, p->width, p->height, p->pixels, p->alpha, p->colour, p->filter, p->wrap, p->mips);
    printf(p->safe_mips == -2 ? "none" : "%d", p->safe_mips);
    printf(" %s", p->hash);
    for (i = 0; i < p->layer_count; i++) {
        const zr_layer *layer = &p->layers[i];
        printf("\t%s %s %s %s %s", layer->name, layer->file, layer->pixels, layer->alpha, layer->colour);
    }
}

static void tell_sprite(const zr_sprite *s) {
    int i;
    printf("%d %d %d %d %d %d %d %d %d %d %.17g %.17g %d %d %d %d", s->page, s->box[0], s->box[1], s->box[2], s->box[3], s->turned,
           s->canvas[0], s->canvas[1], s->inset[0], s->inset[1], s->pivot[0], s->pivot[1], s->stretch[0], s->stretch[1], s->stretch[2],
           s->stretch[3]);
    for (i = 0; i < s->point_count; i++) printf("\t%s=%.17g,%.17g", s->points[i].name, s->points[i].at[0], s->points[i].at[1]);
    for (i = 0; i < s->tag_count; i++) printf("\t#%s", s->tags[i]);
}

static zr_placement placement(char **at) {
    zr_placement p;
    double v[8];
    int i;
    for (i = 0; i < 8; i++) v[i] = strtod(*at, at);
    p.at[0] = v[0], p.at[1] = v[1], p.scale[0] = v[2], p.scale[1] = v[3], p.degrees = v[4], p.y_up = v[5] != 0, p.v_up = v[6] != 0;
    p.shrink = v[7];
    return p;
}

static void tell_clip(const zr_clip *clip, const char *kind, char *numbers) {
    zr_player player;
    const zr_step *step;
    int i;
    if (!strcmp(kind, "clip")) {
        printf("%d", (int)clip->mode);
        for (i = 0; i < clip->step_count; i++) {
            int n;
            printf("\t%s", clip->steps[i].sprite);
            for (n = 0; n < clip->steps[i].event_count; n++) printf("!%s", clip->steps[i].events[n]);
        }
    } else if (!strcmp(kind, "at")) {
        zr_shown shown = zr_show(clip, strtoll(numbers, NULL, 10));
        printf("%d %lld %d", shown.step, (long long)shown.played, shown.ended);
    } else {
        zr_play(&player, clip, strtoll(numbers, &numbers, 10));
        while (*numbers == ' ') {
            zr_advance(&player, strtoll(numbers, &numbers, 10));
            while ((step = zr_next_step(&player)) != NULL) printf("%s;", step->sprite);
            printf("|%s %lld %d\t", zr_step_of(&player)->sprite, (long long)player.played, zr_ended(&player));
        }
    }
}

static void answer(const zr_atlas *atlas, char *kind, char *name, char *numbers) {
    const zr_sprite *sprite = zr_find_sprite(atlas, name);
    zr_placement at;
    zr_quad quad, *quads;
    zr_sprite part;
    int i, v[5];
    if (!strcmp(kind, "clip") || !strcmp(kind, "at") || !strcmp(kind, "play")) {
        const zr_clip *clip = zr_find_clip(atlas, name);
        if (!clip) exit(3);
        tell_clip(clip, kind, numbers);
        return;
    }
    if (!strcmp(kind, "atlas")) {
        printf("%s %s %s %.17g", atlas->name, atlas->build_id ? atlas->build_id : "none", atlas->base ? atlas->base : "none", atlas->scale);
        return;
    }
    if (!strcmp(kind, "page")) {
        tell_page(&atlas->pages[strtol(numbers, NULL, 10)]);
        return;
    }
    if (!sprite) exit(3);
    if (!strcmp(kind, "sprite")) {
        tell_sprite(sprite);
    } else if (!strcmp(kind, "uv")) {
        zr_sampling how;
        float uvs[4][2];
        how.flip_x = (int)strtol(numbers, &numbers, 10), how.flip_y = (int)strtol(numbers, &numbers, 10);
        how.v_up = (int)strtol(numbers, &numbers, 10), how.shrink = strtod(numbers, &numbers);
        zr_uvs(sprite, how.flip_x || how.flip_y || how.v_up || how.shrink > 0 ? &how : NULL, uvs);
        for (i = 0; i < 8; i++) printf("%.9g ", (double)uvs[i / 2][i % 2]);
    } else if (!strcmp(kind, "part")) {
        for (i = 0; i < 4; i++) v[i] = (int)strtol(numbers, &numbers, 10);
        if (!zr_part(sprite, v[0], v[1], v[2], v[3], &part)) {
            printf("none");
            return;
        }
        at = zr_at(5, 7);
        zr_draw(&part, &at, &quad);
        tell_quad(&quad);
    } else if (!strcmp(kind, "quad")) {
        at = placement(&numbers);
        zr_draw(sprite, &at, &quad);
        tell_quad(&quad);
    } else {
        double w = strtod(numbers, &numbers), h = strtod(numbers, &numbers);
        int tiled = (int)strtol(numbers, &numbers, 10), count;
        at = placement(&numbers);
        count = zr_stretch(sprite, w, h, tiled, &at, NULL, 0);
        quads = (zr_quad *)calloc((size_t)count + 1, sizeof *quads);
        if (!quads || zr_stretch(sprite, w, h, tiled, &at, quads, count) != count) exit(3);
        for (i = 0; i < count; i++) tell_quad(&quads[i]), printf("\t");
        free(quads);
    }
}

int main(int count, char **words) {
    int i, check = count > 2 && !strcmp(words[1], "--check");
    for (i = check ? 2 : 1; i < (check ? count : 2); i++) {
        size_t length, ignored;
        char *text = whole(words[i], &length), *questions, *line, *end;
        zr_error error;
        zr_atlas *atlas;
        /* A game may speak the player's language; what is asked and answered here does not. */
        setlocale(LC_ALL, "");
        if (getenv("WITH_COMMAS") && *localeconv()->decimal_point != ',') exit(4);
        atlas = zr_read(text, length, &error);
        setlocale(LC_ALL, "C");
        free(text);
        if (check) printf(atlas ? "ok\n" : "%s: %s\n", error.place, error.why);
        else if (!atlas) return fprintf(stderr, "%s: %s\n", error.place, error.why), 1;
        for (questions = line = check ? NULL : whole(words[2], &ignored); line && *line; line = end + 1) {
            char *name = strchr(line, '\t'), *numbers = name ? strchr(name + 1, '\t') : NULL;
            end = strchr(line, '\n');
            if (!numbers || !end) exit(3);
            *name = *numbers = *end = 0;
            answer(atlas, line, name + 1, numbers + 1);
            putchar('\n');
        }
        free(questions);
        zr_free(atlas);
    }
    return 0;
}
