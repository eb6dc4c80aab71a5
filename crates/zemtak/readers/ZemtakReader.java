// SPDX-License-Identifier: 0BSD

import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;

/**
 * Reads Zemtak atlases, tells where sprites are and how to draw them, and plays clips. Java 17, no other library.
 *
 * <p>Reader version 1, for descriptors of version 1. Add this file to your game, and change it as you like. Your game loads the
 * pictures itself: {@code atlas.pages()} names the files.
 *
 * <pre>{@code
 * ZemtakReader.Atlas atlas = ZemtakReader.read(Files.readString(Path.of("night.zemtak.json")));
 * ZemtakReader.Sprite moth = atlas.sprites().get("moth/fly/03");
 * ZemtakReader.Quad quad = moth.quad(ZemtakReader.Placement.at(120, 64)); // positions, texture coordinates, indices
 *
 * ZemtakReader.Player player = new ZemtakReader.Player(atlas.clips().get("moth/fly"), 0);
 * player.advance(16_666_667); // nanoseconds
 * for (var step = player.next(); step != null; step = player.next()) step.events().forEach(game::play); // every step that began
 * show(atlas.sprites().get(player.step().sprite()));
 * }</pre>
 *
 * <p>Pixels have their origin at the top left, y down. Corners come in the order top left, top right, bottom right, bottom left of the
 * upright sprite, whether it is stored turned or not. Do not modify the arrays that it returns.
 */
public final class ZemtakReader {
    public static final int VERSION = 1;
    private static final int LONGEST_SIDE = 1 << 20;
    private static final long LATEST = Long.MAX_VALUE / 2;

    private ZemtakReader() {}

    /** What is wrong with a descriptor, and where: {@code sprites["moth/fly/03"].box: …}. */
    public static final class ReadException extends Exception {
        private static final long serialVersionUID = 1;

        /** The place in the descriptor. */
        public final String place;

        ReadException(String place, String why) {
            super((place.isEmpty() ? "the descriptor" : place) + ": " + why);
            this.place = place;
        }
    }

    /** Sprites packed onto pages, and clips of them. {@code buildId} and {@code base} may be null. */
    public record Atlas(String name, String buildId, double scale, String base, List<Page> pages, Map<String, Sprite> sprites,
            Map<String, Clip> clips) {}

    /** A further image of a page, such as its normals, with the same boxes. */
    public record Layer(String file, String pixels, String alpha, String colour) {}

    /**
     * A texture. {@code image.file()} is relative to the descriptor; docs/format.md explains the other strings. {@code safeMips} is
     * null if it was not measured.
     */
    public record Page(Layer image, int width, int height, String filter, String wrap, int mips, Integer safeMips, String hash,
            Map<String, Layer> layers) {}

    /** A point in canvas pixels. */
    public record Point(double x, double y) {}

    /** A step of a clip. {@code sprite} is a name of this atlas, or {@code atlas:name} of another one. */
    public record Step(String sprite, List<String> events) {}

    /** What a clip does after its last step. */
    public enum Mode { LOOP, ONCE, BOUNCE }

    /**
     * How to compute texture coordinates. With {@code vUp} row 0 of the page is at v = 1. {@code shrink} moves each edge inwards by
     * this many texels, at most to the centre; 0.5 keeps linear filtering within the box.
     */
    public record Sampling(boolean flipX, boolean flipY, boolean vUp, double shrink) {}

    /**
     * Where and how a sprite is drawn: its pivot at (x, y), scaled (a negative scale mirrors), then rotated, clockwise as seen; with
     * {@code yUp} y goes up on the screen and it rotates counter-clockwise.
     */
    public record Placement(double x, double y, double scaleX, double scaleY, double degrees, boolean yUp, boolean vUp, double shrink) {
        /** At the size of the canvas, upright. */
        public static Placement at(double x, double y) {
            return new Placement(x, y, 1, 1, 0, false, false, 0);
        }
    }

    /**
     * Two triangles: the positions and texture coordinates of the upright corners (x, y and u, v interleaved), and six indices into
     * them.
     */
    public record Quad(float[] positions, float[] uvs, int[] indices) {}

    /**
     * A sprite, or a part of one. All values are in pixels: {@code box} (x, y, width, height) as stored on its page, {@code canvas}
     * its full size, {@code inset} where the upright box begins on the canvas, {@code pivot} the point by which it is placed, {@code
     * stretch} the bands (left, top, right, bottom) that keep their size, or null. {@code user} is JSON: maps, lists, strings,
     * doubles, booleans, null.
     */
    public record Sprite(String name, int page, int[] pageSize, int[] box, boolean turned, int[] canvas, int[] inset, Point pivot,
            Map<String, Point> points, int[] stretch, List<String> tags, Object user) {
        /** The width of the upright box. */
        public int width() {
            return turned ? box[3] : box[2];
        }

        /** The height of the upright box. */
        public int height() {
            return turned ? box[2] : box[3];
        }

        /** The texture coordinates of the corners: u and v of each. */
        public float[] uvs(Sampling how) {
            double dx = Math.min(how.shrink, box[2] / 2.0), dy = Math.min(how.shrink, box[3] / 2.0);
            double top = box[1] + dy, bottom = box[1] + box[3] - dy;
            if (how.vUp) {
                top = pageSize[1] - top;
                bottom = pageSize[1] - bottom;
            }
            double u0 = (box[0] + dx) / pageSize[0], u1 = (box[0] + box[2] - dx) / pageSize[0];
            double v0 = top / pageSize[1], v1 = bottom / pageSize[1];
            // The upright top left of a turned sprite is the stored top right, and so on round.
            double[] corners = turned ? new double[] {u1, v0, u1, v1, u0, v1, u0, v0} : new double[] {u0, v0, u1, v0, u1, v1, u0, v1};
            float[] uvs = new float[8];
            for (int corner = 0; corner < 4; corner++) {
                int from = (how.flipY ? 3 - corner : corner) ^ (how.flipX ? 1 : 0);
                uvs[2 * corner] = (float) corners[2 * from];
                uvs[2 * corner + 1] = (float) corners[2 * from + 1];
            }
            return uvs;
        }

        /**
         * A part of the sprite, in canvas pixels. It keeps the canvas and the pivot, so that it is drawn at its place on the whole.
         * Whatever lies outside the canvas or was trimmed is cut off; null if nothing is left.
         */
        public Sprite part(int x, int y, int width, int height) {
            int left = Math.max(x, inset[0]), top = Math.max(y, inset[1]);
            int right = (int) Math.min((long) x + width, inset[0] + width()), bottom = (int) Math.min((long) y + height, inset[1] + height());
            if (left >= right || top >= bottom) return null;
            int i = left - inset[0], j = top - inset[1], w = right - left, h = bottom - top;
            // Pixel (i, j) of the upright box lies at (h - 1 - j, i) of a turned one.
            int[] stored = turned ? new int[] {box[0] + height() - j - h, box[1] + i, h, w} : new int[] {box[0] + i, box[1] + j, w, h};
            return new Sprite(name, page, pageSize, stored, turned, canvas, new int[] {left, top}, pivot, points, stretch, tags, user);
        }

        /** The quad that draws it. */
        public Quad quad(Placement at) {
            return over(new double[] {inset[0], inset[1], inset[0] + width(), inset[1] + height()}, pivot, at);
        }

        private Quad over(double[] edges, Point pivot, Placement at) {
            double[] turn = sinCos(at.degrees);
            float[] positions = new float[8];
            for (int corner = 0; corner < 4; corner++) {
                double x = edges[corner == 1 || corner == 2 ? 2 : 0], y = edges[corner < 2 ? 1 : 3];
                double dx = at.scaleX * (x - pivot.x), dy = (at.yUp ? -at.scaleY : at.scaleY) * (y - pivot.y);
                positions[2 * corner] = (float) (at.x + (turn[1] * dx - turn[0] * dy));
                positions[2 * corner + 1] = (float) (at.y + (turn[0] * dx + turn[1] * dy));
            }
            boolean mirrored = at.scaleX < 0 != at.scaleY < 0;
            int[] indices = mirrored ? new int[] {0, 3, 2, 0, 2, 1} : new int[] {0, 1, 2, 0, 2, 3};
            return new Quad(positions, uvs(new Sampling(false, false, at.vUp, at.shrink)), indices);
        }

        /**
         * Quads that draw it {@code width} by {@code height} canvas pixels in size: the bands of {@code stretch} keep their size, and
         * the middle is stretched, or repeated if {@code tiled}. Without bands, all of it is the middle.
         */
        public List<Quad> stretched(double width, double height, boolean tiled, Placement at) {
            int[] bands = stretch == null ? new int[4] : stretch;
            Bands columns = new Bands(canvas[0], bands[0], bands[2], width, tiled), rows = new Bands(canvas[1], bands[1], bands[3], height, tiled);
            Point pivot = new Point(columns.place(this.pivot.x), rows.place(this.pivot.y));
            List<Quad> quads = new ArrayList<>();
            for (Piece row : rows.pieces()) {
                for (Piece column : columns.pieces()) {
                    Sprite part = part(column.start, row.start, column.length, row.length);
                    if (part == null) continue;
                    int x = part.inset[0], y = part.inset[1];
                    double[] edges = {column.at(x), row.at(y), column.at(x + part.width()), row.at(y + part.height())};
                    quads.add(part.over(edges, pivot, at));
                }
            }
            return quads;
        }
    }

    /** Exact for quarter turns. */
    private static double[] sinCos(double degrees) {
        double turn = degrees % 360, around = turn < 0 ? turn + 360 : turn;
        double[] exact = {0, 1, 0, -1, 0};
        for (int quarter = 0; quarter < 4; quarter++) {
            if (around == quarter * 90) return new double[] {exact[quarter], exact[(quarter + 1) % 4]};
        }
        return new double[] {Math.sin(Math.toRadians(turn)), Math.cos(Math.toRadians(turn))};
    }

    /** A piece of a band: what it shows of the canvas's side, and from where to where it is drawn. */
    private record Piece(int start, int length, double from, double to) {
        double at(int place) {
            return from + (to - from) * (place - start) / length;
        }
    }

    /** One side of a stretched sprite: its bands on the canvas, and where they are drawn. */
    private static final class Bands {
        final int[] source;
        final double[] to;
        final int copies;

        Bands(int length, int first, int last, double size, boolean tiled) {
            double both = first + last, between = length - first - last;
            // Bands that do not fit side by side shrink in proportion.
            double scale = both > size ? size / both : 1;
            source = new int[] {0, first, length - last, length};
            to = new double[] {0, first * scale, size - last * scale, size};
            double wanted = tiled && between > 0 ? Math.floor((to[2] - to[1]) / between + 0.5) : 1;
            copies = (int) Math.min(Math.max(wanted, 1), 1024);
        }

        List<Piece> pieces() {
            List<Piece> pieces = new ArrayList<>();
            for (int band = 0; band < 3; band++) {
                int count = band == 1 ? copies : 1;
                for (int n = 0; n < count; n++) {
                    double from = to[band] + (to[band + 1] - to[band]) * n / count, end = to[band] + (to[band + 1] - to[band]) * (n + 1) / count;
                    if (source[band + 1] > source[band] && end > from) pieces.add(new Piece(source[band], source[band + 1] - source[band], from, end));
                }
            }
            return pieces;
        }

        double place(double at) {
            int band = at < source[1] ? 0 : at > source[2] ? 2 : 1;
            double past = at - source[band], length = source[band + 1] - source[band];
            return length == 0 ? to[band] + past : to[band] + past * (to[band + 1] - to[band]) / length;
        }
    }

    /**
     * What a clip shows at a given time: the number of the step, how often the clip has played, and whether a clip that plays once is
     * over.
     */
    public record Shown(int step, long played, boolean ended) {}

    /** A clip. Times are whole nanoseconds and counted exactly, at any rate, up to 146 years. */
    public static final class Clip {
        public final String name;
        public final Mode mode;
        public final List<Step> steps;
        // When each turn begins, and when the last one ends: nanoseconds, and parts of one. A turn is one step of a period; a bounce
        // meets steps twice, there and back.
        private final long[] starts, rests;
        private final long parts;
        private final int turns;
        private final boolean still;

        Clip(String name, Mode mode, List<Step> steps, List<Long> own, long above, long below) {
            this.name = name;
            this.mode = mode;
            this.steps = steps;
            // A frame takes below * 10^9 / above nanoseconds.
            parts = Math.max(above, 1);
            int count = mode == Mode.BOUNCE && steps.size() > 2 ? 2 * steps.size() - 2 : steps.size(), turn = 0;
            starts = new long[count + 1];
            rests = new long[count + 1];
            boolean stands = false;
            for (; turn < count && !stands; turn++) {
                Long ns = own.get(stepOf(turn));
                stands = ns == null && above == 0;
                long length = stands ? 0 : ns == null ? below * 1_000_000_000 / parts : ns;
                long rest = rests[turn] + (ns == null && !stands ? below * 1_000_000_000 % parts : 0);
                starts[turn + 1] = starts[turn] + length + (rest >= parts ? 1 : 0);
                rests[turn + 1] = rest >= parts ? rest - parts : rest;
                if (starts[turn + 1] >= LATEST) break;
            }
            still = stands;
            turns = turn;
        }

        private int stepOf(int turn) {
            return turn < steps.size() ? turn : 2 * steps.size() - 2 - turn;
        }

        private boolean reaches(long ns, long rest, int turn) {
            return ns > starts[turn] || ns == starts[turn] && rest >= rests[turn];
        }

        /**
         * What is shown at a given time. Negative times count back from the end of a period; a clip that plays once then shows its
         * first step.
         */
        public Shown at(long nanoseconds) {
            long[] time = {Math.max(-LATEST, Math.min(LATEST, nanoseconds)), 0};
            long played = fold(time);
            return new Shown(stepOf(turnAt(time)), played, mode == Mode.ONCE && played > 0);
        }

        /**
         * Moves a time into the first period, and returns how many periods lie before it. Uses only sums and halves, so it is exact.
         */
        private long fold(long[] time) {
            boolean below = time[0] < 0, over = !still && reaches(time[0], time[1], turns);
            if (mode == Mode.ONCE || still) {
                int turn = over ? turns : mode == Mode.ONCE ? 0 : turns - 1;
                if (below || over) set(time, starts[turn], rests[turn]);
                return over ? 1 : below && mode != Mode.ONCE ? -1 : 0;
            }
            if (!below && !over) return 0;
            if (below) set(time, -time[0] - (time[1] > 0 ? 1 : 0), time[1] > 0 ? parts - time[1] : 0);
            long ns = starts[turns], rest = rests[turns], times = 1, played = 0;
            while (ns <= LATEST / 2) {
                long twice = 2 * ns + (2 * rest >= parts ? 1 : 0), twiceRest = 2 * rest >= parts ? 2 * rest - parts : 2 * rest;
                if (time[0] < twice || time[0] == twice && time[1] < twiceRest) break;
                ns = twice;
                rest = twiceRest;
                times *= 2;
            }
            for (; times > 0; times /= 2) {
                if (time[0] > ns || time[0] == ns && time[1] >= rest) {
                    set(time, time[0] - ns - (time[1] < rest ? 1 : 0), time[1] - rest + (time[1] < rest ? parts : 0));
                    played += times;
                }
                rest = (rest + ns % 2 * parts) / 2;
                ns /= 2;
            }
            if (below && (time[0] > 0 || time[1] > 0)) {
                boolean less = rests[turns] < time[1];
                set(time, starts[turns] - time[0] - (less ? 1 : 0), rests[turns] - time[1] + (less ? parts : 0));
                played++;
            }
            return below ? -played : played;
        }

        private static void set(long[] time, long ns, long rest) {
            time[0] = ns;
            time[1] = rest;
        }

        private int turnAt(long[] time) {
            int low = 0, high = turns;
            while (high - low > 1) {
                int middle = (low + high) >>> 1;
                if (reaches(time[0], time[1], middle)) low = middle;
                else high = middle;
            }
            return low;
        }
    }

    /** Plays a clip. */
    public static final class Player {
        private final Clip clip;
        private final long[] now = new long[2];
        private int turn, told;
        private long played, entered;

        /** Starts at this position of the clip, in nanoseconds: start each of a crowd elsewhere, and they do not move in step. */
        public Player(Clip clip, long nanoseconds) {
            this.clip = clip;
            now[0] = Math.max(-LATEST, Math.min(LATEST, nanoseconds));
            clip.fold(now);
            turn = clip.turnAt(now);
        }

        /** Advances by this many nanoseconds; a negative number plays backwards. */
        public void advance(long nanoseconds) {
            told = turn;
            now[0] += Math.max(-LATEST, Math.min(LATEST, nanoseconds));
            long periods = clip.fold(now), most = LATEST / 2 / clip.turns;
            turn = clip.turnAt(now);
            long whole = clip.mode == Mode.ONCE ? 0 : Math.max(-most, Math.min(most, periods));
            entered = whole * clip.turns + turn - told;
            played = clip.mode == Mode.ONCE ? periods : played + periods;
        }

        /** The next step that began during the last advance, in order; null when there are no more. */
        public Step next() {
            if (entered == 0) return null;
            int by = entered > 0 ? 1 : -1;
            entered -= by;
            told = (told + by + clip.turns) % clip.turns;
            return clip.steps.get(clip.stepOf(told));
        }

        /** The step to show now. */
        public Step step() {
            return clip.steps.get(clip.stepOf(turn));
        }

        /** How often it has played through; negative after playing backwards past its beginning. */
        public long played() {
            return played;
        }

        /** Whether a clip that plays once is over. */
        public boolean ended() {
            return clip.mode == Mode.ONCE && played > 0;
        }
    }

    /** Reads a descriptor's text. */
    public static Atlas read(String text) throws ReadException {
        Value whole = new Value(new Json(text).whole(), null, "", "", "");
        int version = whole.get("zemtak").whole(0, LONGEST_SIDE);
        if (version != VERSION) throw whole.get("zemtak").wrong("is version " + version + ", this reader reads version " + VERSION);
        List<String> needs = whole.get("needs").texts();
        if (!needs.isEmpty()) throw whole.get("needs").wrong("asks for " + String.join(", ", needs) + ", which this reader does not know");
        List<Page> pages = new ArrayList<>();
        for (Value page : whole.get("pages").items()) pages.add(page(page));
        Map<String, Sprite> sprites = new LinkedHashMap<>();
        for (var entry : whole.get("sprites").entries().entrySet()) sprites.put(entry.getKey(), sprite(entry.getKey(), entry.getValue(), pages));
        Map<String, Clip> clips = new LinkedHashMap<>();
        for (var entry : whole.get("clips").entries().entrySet()) clips.put(entry.getKey(), clip(entry.getKey(), entry.getValue(), sprites));
        return new Atlas(whole.get("name").text(), whole.textOr("build_id"), whole.get("scale").number(), whole.textOr("base"), pages, sprites, clips);
    }

    private static Layer layer(Value value) throws ReadException {
        String file = value.get("file").text();
        boolean plain = file.chars().noneMatch(c -> c == '\\' || c == ':' || c == 0);
        for (String part : file.split("/", -1)) plain &= !part.isEmpty() && !part.equals(".") && !part.equals("..");
        if (!plain) throw value.get("file").wrong("is not a relative path below the descriptor's folder");
        return new Layer(file, value.get("pixels").text(), value.get("alpha").text(), value.get("colour").text());
    }

    private static Page page(Value value) throws ReadException {
        Map<String, Layer> layers = new LinkedHashMap<>();
        Value sampling = value.get("sampling"), more = value.find("layers"), safe = sampling.find("safe_mips");
        if (more != null) for (var entry : more.entries().entrySet()) layers.put(entry.getKey(), layer(entry.getValue()));
        return new Page(layer(value), value.get("width").whole(1, LONGEST_SIDE), value.get("height").whole(1, LONGEST_SIDE),
                sampling.get("filter").text(), sampling.get("wrap").text(), sampling.get("mips").whole(1, 32),
                safe == null ? null : safe.whole(-1, LONGEST_SIDE), value.get("hash").text(), layers);
    }

    private static Sprite sprite(String name, Value value, List<Page> pages) throws ReadException {
        int page = value.get("page").whole(0, LONGEST_SIDE);
        if (page >= pages.size()) throw value.get("page").wrong("is " + page + ", there are " + pages.size() + " pages");
        int[] size = {pages.get(page).width, pages.get(page).height}, box = value.get("box").wholes(4);
        if (box[2] < 1 || box[3] < 1 || box[0] + box[2] > size[0] || box[1] + box[3] > size[1]) throw value.get("box").wrong("does not lie on its page");
        boolean turned = value.get("turned").truth();
        int[] canvas = value.get("canvas").wholes(2), inset = value.get("inset").wholes(2);
        int w = turned ? box[3] : box[2], h = turned ? box[2] : box[3];
        if (inset[0] + w > canvas[0] || inset[1] + h > canvas[1]) throw value.get("inset").wrong("puts the box beyond the canvas");
        Value stretch = value.find("stretch"), tags = value.find("tags"), user = value.find("user"), more = value.find("points");
        int[] bands = stretch == null ? null : stretch.wholes(4);
        if (bands != null && (bands[0] + bands[2] > canvas[0] || bands[1] + bands[3] > canvas[1])) throw stretch.wrong("has bands wider than the canvas");
        Map<String, Point> points = new LinkedHashMap<>();
        if (more != null) for (var entry : more.entries().entrySet()) points.put(entry.getKey(), entry.getValue().point());
        return new Sprite(name, page, size, box, turned, canvas, inset, value.get("pivot").point(), points, bands,
                tags == null ? List.of() : tags.texts(), user == null ? null : user.value);
    }

    /** A rate as written in the descriptor: a number of up to nine digits, or a ratio such as "60000/1001". */
    private static long[] rate(Value value) throws ReadException {
        long above = -1, below = 1;
        if (value.value instanceof String text && text.matches("[0-9]{1,10}/[0-9]{1,10}")) {
            above = Long.parseLong(text.substring(0, text.indexOf('/')));
            below = Long.parseLong(text.substring(text.indexOf('/') + 1));
        } else if (value.value instanceof Double number && number < Integer.MAX_VALUE) {
            // The shortest decimal that reads back as this number.
            while (below <= 1_000_000_000 && Math.floor(number * below + 0.5) / below != number) below *= 10;
            above = below <= 1_000_000_000 ? (long) Math.floor(number * below + 0.5) : -1;
        }
        if (above < 0 || above > Integer.MAX_VALUE || below < 1 || below > 0xffff_ffffL) {
            throw value.wrong("is neither a number of up to nine digits nor a ratio such as 60000/1001");
        }
        long a = above, b = below;
        while (b != 0) {
            long rest = a % b;
            a = b;
            b = rest;
        }
        return new long[] {above / a, below / a};
    }

    private static Clip clip(String name, Value value, Map<String, Sprite> sprites) throws ReadException {
        Mode mode = switch (value.get("mode").text()) {
            case "loop" -> Mode.LOOP;
            case "once" -> Mode.ONCE;
            case "bounce" -> Mode.BOUNCE;
            default -> throw value.get("mode").wrong("is neither loop, once nor bounce");
        };
        Value fps = value.find("fps"), list = value.get("steps");
        List<Step> steps = new ArrayList<>();
        List<Long> own = new ArrayList<>();
        for (Value step : list.items()) {
            String sprite = step.get("sprite").text();
            Value ms = step.find("ms"), events = step.find("events");
            if (!sprites.containsKey(sprite) && sprite.indexOf(':') < 0) throw step.get("sprite").wrong("is not a sprite of this atlas");
            if (ms == null && fps == null) throw step.wrong("has no ms, and its clip has no fps");
            double ns = ms == null ? 0 : ms.number() * 1e6;
            if (!(ns >= 0 && ns <= 1e18)) throw ms.wrong("is not a duration");
            own.add(ms == null ? null : (long) (Math.floor(ns) + (ns - Math.floor(ns) >= 0.5 ? 1 : 0)));
            steps.add(new Step(sprite, events == null ? List.of() : events.texts()));
        }
        if (steps.isEmpty()) throw list.wrong("is empty");
        long[] rate = fps == null ? new long[] {10, 1} : rate(fps);
        Clip clip = new Clip(name, mode, steps, own, rate[0], rate[1]);
        if (!clip.still && clip.starts[clip.turns] == 0 && clip.rests[clip.turns] == 0) throw list.wrong("take no time, all together");
        for (long start : clip.starts) if (start >= LATEST) throw list.wrong("take more than 146 years, all together");
        return clip;
    }

    /** A value, and its place by its key in the value around it: most places are never told, so they are put together when one is. */
    private record Value(Object value, Value around, String before, Object key, String after) {
        private String place() {
            if (around == null) return "";
            String outer = around.place();
            return outer + (outer.isEmpty() ? "" : before) + key + after;
        }

        ReadException wrong(String why) {
            return new ReadException(place(), why);
        }

        private <T> T as(Class<T> kind, String what) throws ReadException {
            if (!kind.isInstance(value)) throw wrong("should be " + what);
            return kind.cast(value);
        }

        Value find(String key) throws ReadException {
            Object found = as(Map.class, "an object").get(key);
            return found == null ? null : new Value(found, this, ".", key, "");
        }

        Value get(String key) throws ReadException {
            Value found = find(key);
            if (found == null) throw wrong("has no " + key);
            return found;
        }

        Map<String, Value> entries() throws ReadException {
            Map<String, Value> entries = new LinkedHashMap<>();
            for (Map.Entry<?, ?> entry : ((Map<?, ?>) as(Map.class, "an object")).entrySet()) {
                entries.put((String) entry.getKey(), new Value(entry.getValue(), this, "[\"", entry.getKey(), "\"]"));
            }
            return entries;
        }

        List<Value> items() throws ReadException {
            List<Value> items = new ArrayList<>();
            for (Object item : as(List.class, "a list")) items.add(new Value(item, this, "[", items.size(), "]"));
            return items;
        }

        String text() throws ReadException {
            return as(String.class, "a text");
        }

        String textOr(String key) throws ReadException {
            Value found = find(key);
            return found == null ? null : found.text();
        }

        List<String> texts() throws ReadException {
            List<String> texts = new ArrayList<>();
            for (Value item : items()) texts.add(item.text());
            return texts;
        }

        boolean truth() throws ReadException {
            return as(Boolean.class, "true or false");
        }

        double number() throws ReadException {
            return as(Double.class, "a number");
        }

        int whole(int least, int most) throws ReadException {
            double number = as(Double.class, "a whole number");
            if (!(number >= least && number <= most) || number != Math.rint(number)) throw wrong("is not a whole number from " + least + " to " + most);
            return (int) number;
        }

        int[] wholes(int count) throws ReadException {
            List<Value> items = items();
            if (items.size() != count) throw wrong("should have " + count + " numbers");
            int[] numbers = new int[count];
            for (int i = 0; i < count; i++) numbers[i] = items.get(i).whole(0, LONGEST_SIDE);
            return numbers;
        }

        Point point() throws ReadException {
            List<Value> items = items();
            if (items.size() != 2) throw wrong("should have 2 numbers");
            return new Point(items.get(0).number(), items.get(1).number());
        }
    }

    /** JSON as maps, lists, strings, doubles, booleans and null. */
    private static final class Json {
        private final String text;
        private int at;

        Json(String text) {
            this.text = text;
        }

        Object whole() throws ReadException {
            Object value = value(0);
            if (peek() != '\0' || at < text.length()) throw wrong("unexpected text after the descriptor");
            return value;
        }

        private ReadException wrong(String why) {
            String before = text.substring(0, Math.min(at, text.length()));
            long line = before.chars().filter(c -> c == '\n').count() + 1;
            return new ReadException("line " + line + ", column " + (before.length() - before.lastIndexOf('\n')), why);
        }

        /** The next character that is not a space; 0 at the end. */
        private char peek() {
            while (at < text.length() && text.charAt(at) <= ' ' && " \n\r\t".indexOf(text.charAt(at)) >= 0) at++;
            return at < text.length() ? text.charAt(at) : '\0';
        }

        private Object value(int depth) throws ReadException {
            if (depth > 100) throw wrong("lists and objects are nested too deeply");
            char first = peek();
            if (first == '{' || first == '[') return several(first == '{', depth);
            if (first == '"') return string();
            if (first == 't' && meets("true")) return true;
            if (first == 'f' && meets("false")) return false;
            return first == 'n' && meets("null") ? null : (Object) number();
        }

        private boolean meets(String word) {
            if (!text.startsWith(word, at)) return false;
            at += word.length();
            return true;
        }

        private boolean digits() {
            int start = at;
            while (at < text.length() && text.charAt(at) >= '0' && text.charAt(at) <= '9') at++;
            return at > start;
        }

        private double number() throws ReadException {
            int start = at;
            meets("-");
            int digits = at;
            boolean right = digits() && (text.charAt(digits) != '0' || at == digits + 1);
            // Most numbers are whole, positive and short.
            boolean simple = right && start == digits && at - start < 16;
            if (simple && (at == text.length() || ".eE".indexOf(text.charAt(at)) < 0)) return Long.parseLong(text, start, at, 10);
            if (right && meets(".")) right = digits();
            if (right && (meets("e") || meets("E"))) {
                if (!meets("-")) meets("+");
                right = digits();
            }
            if (!right) {
                at = start;
                throw wrong("a value is expected");
            }
            double value = Double.parseDouble(text.substring(start, at));
            if (Double.isInfinite(value)) throw wrong("a number that is not finite");
            return value;
        }

        private Object several(boolean keys, int depth) throws ReadException {
            Map<String, Object> object = new LinkedHashMap<>();
            List<Object> list = new ArrayList<>();
            char close = keys ? '}' : ']';
            at++;
            for (boolean first = true; first ? peek() != close : peek() == ','; first = false) {
                if (!first) at++;
                if (keys) {
                    if (peek() != '"') throw wrong("a key is expected");
                    String key = string();
                    if (peek() != ':') throw wrong("a colon is expected");
                    at++;
                    object.put(key, value(depth + 1));
                } else {
                    list.add(value(depth + 1));
                }
            }
            if (peek() != close) throw wrong("a comma or the end of a list or an object is expected");
            at++;
            return keys ? object : list;
        }

        private String string() throws ReadException {
            // Most texts have no escape sequence.
            int start = ++at;
            while (at < text.length() && text.charAt(at) >= ' ' && text.charAt(at) != '"' && text.charAt(at) != '\\') at++;
            if (at < text.length() && text.charAt(at) == '"') return text.substring(start, at++);
            StringBuilder out = new StringBuilder(text.substring(start, at));
            for (; at < text.length() && text.charAt(at) != '"'; at++) {
                char c = text.charAt(at);
                if (c < ' ') throw wrong("an unterminated string");
                if (c != '\\') {
                    out.append(c);
                    continue;
                }
                c = ++at < text.length() ? text.charAt(at) : '\0';
                int simple = "\"\\/bfnrt".indexOf(c);
                if (simple >= 0) {
                    out.append("\"\\/\b\f\n\r\t".charAt(simple));
                } else if (c == 'u' && at + 4 < text.length() && text.substring(at + 1, at + 5).matches("[0-9a-fA-F]{4}")) {
                    out.append((char) Integer.parseInt(text.substring(at + 1, at + 5), 16));
                    at += 4;
                } else {
                    throw wrong("an unknown escape sequence");
                }
            }
            if (at++ >= text.length()) throw wrong("an unterminated string");
            return out.toString();
        }
    }
}
