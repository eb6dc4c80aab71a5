// SPDX-License-Identifier: 0BSD

using System;
using System.Collections.Generic;
using System.Globalization;
using System.Text;

/// <summary>
/// Reads Zemtak atlases, tells where sprites are and how to draw them, and plays clips. C# 7, .NET Standard 2.0, no other library.
/// </summary>
/// <remarks>
/// Reader version 1, for descriptors of version 1. Add this file to your game, and change it as you like. Your game loads the
/// pictures itself: <c>atlas.Pages</c> names the files.
/// <code>
/// Atlas atlas = Atlas.Read(File.ReadAllText("night.zemtak.json"));
/// Sprite moth = atlas.Sprites["moth/fly/03"];
/// Quad quad = moth.Quad(new Placement(120, 64)); // positions, texture coordinates, indices
///
/// var player = new Player(atlas.Clips["moth/fly"]);
/// player.Advance(16666667); // nanoseconds
/// while (player.Next(out Step step)) foreach (string e in step.Events) Play(e); // every step that began on the way
/// Show(atlas.Sprites[player.Step.Sprite]);
/// </code>
/// Pixels have their origin at the top left, y down. Corners come in the order top left, top right, bottom right, bottom left of the
/// upright sprite, whether it is stored turned or not. Do not modify the arrays that it returns.
/// </remarks>
namespace ZemtakReader
{
    /// <summary>What is wrong with a descriptor, and where: <c>sprites["moth/fly/03"].box: …</c>.</summary>
    public sealed class ReadException : Exception
    {
        /// <summary>The place in the descriptor.</summary>
        public string Place { get; }

        internal ReadException(string place, string why) : base((place == "" ? "the descriptor" : place) + ": " + why)
        {
            Place = place;
        }
    }

    /// <summary>A further image of a page, such as its normals, with the same boxes.</summary>
    public class Layer
    {
        public string File { get; internal set; }
        public string Pixels { get; internal set; }
        public string Alpha { get; internal set; }
        public string Colour { get; internal set; }
    }

    /// <summary>A texture. The file is relative to the descriptor; docs/format.md explains the other strings.</summary>
    public sealed class Page : Layer
    {
        public int Width { get; internal set; }
        public int Height { get; internal set; }
        public string Filter { get; internal set; }
        public string Wrap { get; internal set; }
        public int Mips { get; internal set; }
        /// <summary>Null if it was not measured.</summary>
        public int? SafeMips { get; internal set; }
        public string Hash { get; internal set; }
        public IReadOnlyDictionary<string, Layer> Layers { get; internal set; }
    }

    /// <summary>A point in canvas pixels.</summary>
    public struct Point
    {
        public readonly double X, Y;

        public Point(double x, double y)
        {
            X = x;
            Y = y;
        }
    }

    /// <summary>
    /// Where and how a sprite is drawn: its pivot at (X, Y), scaled (a negative scale mirrors), then rotated, clockwise as seen; with
    /// <c>YUp</c> y goes up on the screen and it rotates counter-clockwise. With <c>VUp</c> row 0 of the page is at v = 1.
    /// <c>Shrink</c> moves each edge inwards by this many texels, at most to the centre; 0.5 keeps linear filtering within the box.
    /// </summary>
    public struct Placement
    {
        public double X, Y, ScaleX, ScaleY, Degrees, Shrink;
        public bool YUp, VUp;

        /// <summary>At the size of the canvas, upright.</summary>
        public Placement(double x, double y) : this()
        {
            X = x;
            Y = y;
            ScaleX = ScaleY = 1;
        }
    }

    /// <summary>
    /// Two triangles: the positions and texture coordinates of the upright corners (x, y and u, v interleaved), and six indices into
    /// them.
    /// </summary>
    public sealed class Quad
    {
        public float[] Positions { get; internal set; }
        public float[] Uvs { get; internal set; }
        public int[] Indices { get; internal set; }
    }

    /// <summary>
    /// A sprite, or a part of one. All values are in pixels: <c>Box</c> (x, y, width, height) as stored on its page, <c>Canvas</c>
    /// its full size, <c>Inset</c> where the upright box begins on the canvas, <c>Pivot</c> the point by which it is placed,
    /// <c>Stretch</c> the bands (left, top, right, bottom) that keep their size, or null. <c>User</c> is JSON: dictionaries, lists,
    /// strings, doubles, bools, null.
    /// </summary>
    public sealed class Sprite
    {
        public string Name { get; internal set; }
        public int Page { get; internal set; }
        public int[] PageSize { get; internal set; }
        public int[] Box { get; internal set; }
        public bool Turned { get; internal set; }
        public int[] Canvas { get; internal set; }
        public int[] Inset { get; internal set; }
        public Point Pivot { get; internal set; }
        public IReadOnlyDictionary<string, Point> Points { get; internal set; }
        public int[] Stretch { get; internal set; }
        public IReadOnlyList<string> Tags { get; internal set; }
        public object User { get; internal set; }

        /// <summary>The width of the upright box.</summary>
        public int Width => Box[Turned ? 3 : 2];
        /// <summary>The height of the upright box.</summary>
        public int Height => Box[Turned ? 2 : 3];

        /// <summary>The texture coordinates of the corners: u and v of each. Explained at <see cref="Placement"/>.</summary>
        public float[] Uvs(bool flipX = false, bool flipY = false, bool vUp = false, double shrink = 0)
        {
            double dx = Math.Min(shrink, Box[2] / 2.0), dy = Math.Min(shrink, Box[3] / 2.0);
            double top = Box[1] + dy, bottom = Box[1] + Box[3] - dy;
            if (vUp)
            {
                top = PageSize[1] - top;
                bottom = PageSize[1] - bottom;
            }
            double u0 = (Box[0] + dx) / PageSize[0], u1 = (Box[0] + Box[2] - dx) / PageSize[0];
            double v0 = top / PageSize[1], v1 = bottom / PageSize[1];
            // The upright top left of a turned sprite is the stored top right, and so on round.
            double[] corners = Turned ? new[] { u1, v0, u1, v1, u0, v1, u0, v0 } : new[] { u0, v0, u1, v0, u1, v1, u0, v1 };
            var uvs = new float[8];
            for (int corner = 0; corner < 4; corner++)
            {
                int from = (flipY ? 3 - corner : corner) ^ (flipX ? 1 : 0);
                uvs[2 * corner] = (float)corners[2 * from];
                uvs[2 * corner + 1] = (float)corners[2 * from + 1];
            }
            return uvs;
        }

        /// <summary>
        /// A part of the sprite, in canvas pixels. It keeps the canvas and the pivot, so that it is drawn at its place on the whole.
        /// Whatever lies outside the canvas or was trimmed is cut off; null if nothing is left.
        /// </summary>
        public Sprite Part(int x, int y, int width, int height)
        {
            int left = Math.Max(x, Inset[0]), top = Math.Max(y, Inset[1]);
            int right = (int)Math.Min((long)x + width, Inset[0] + Width), bottom = (int)Math.Min((long)y + height, Inset[1] + Height);
            if (left >= right || top >= bottom) return null;
            int i = left - Inset[0], j = top - Inset[1], w = right - left, h = bottom - top;
            var part = (Sprite)MemberwiseClone();
            // Pixel (i, j) of the upright box lies at (h - 1 - j, i) of a turned one.
            part.Box = Turned ? new[] { Box[0] + Height - j - h, Box[1] + i, h, w } : new[] { Box[0] + i, Box[1] + j, w, h };
            part.Inset = new[] { left, top };
            return part;
        }

        /// <summary>The quad that draws it.</summary>
        public Quad Quad(Placement at)
        {
            return Over(new double[] { Inset[0], Inset[1], Inset[0] + Width, Inset[1] + Height }, Pivot, at);
        }

        private Quad Over(double[] edges, Point pivot, Placement at)
        {
            double turn = at.Degrees % 360, around = turn < 0 ? turn + 360 : turn;
            double sin = Math.Sin(turn * Math.PI / 180), cos = Math.Cos(turn * Math.PI / 180);
            double[] exact = { 0, 1, 0, -1, 0 };
            for (int quarter = 0; quarter < 4; quarter++)
            {
                if (around != quarter * 90) continue;
                sin = exact[quarter];
                cos = exact[(quarter + 1) % 4];
            }
            var positions = new float[8];
            for (int corner = 0; corner < 4; corner++)
            {
                double x = edges[corner == 1 || corner == 2 ? 2 : 0], y = edges[corner < 2 ? 1 : 3];
                double dx = at.ScaleX * (x - pivot.X), dy = (at.YUp ? -at.ScaleY : at.ScaleY) * (y - pivot.Y);
                positions[2 * corner] = (float)(at.X + (cos * dx - sin * dy));
                positions[2 * corner + 1] = (float)(at.Y + (sin * dx + cos * dy));
            }
            bool mirrored = at.ScaleX < 0 != at.ScaleY < 0;
            int[] indices = mirrored ? new[] { 0, 3, 2, 0, 2, 1 } : new[] { 0, 1, 2, 0, 2, 3 };
            return new Quad { Positions = positions, Uvs = Uvs(vUp: at.VUp, shrink: at.Shrink), Indices = indices };
        }

        /// <summary>
        /// Quads that draw it <c>width</c> by <c>height</c> canvas pixels in size: the bands of <c>Stretch</c> keep their size, and
        /// the middle is stretched, or repeated if <c>tiled</c>. Without bands, all of it is the middle.
        /// </summary>
        public List<Quad> Stretched(double width, double height, Placement at, bool tiled = false)
        {
            int[] bands = Stretch ?? new int[4];
            Bands columns = new Bands(Canvas[0], bands[0], bands[2], width, tiled), rows = new Bands(Canvas[1], bands[1], bands[3], height, tiled);
            var pivot = new Point(columns.Place(Pivot.X), rows.Place(Pivot.Y));
            var quads = new List<Quad>();
            foreach (Piece row in rows.Pieces())
            {
                foreach (Piece column in columns.Pieces())
                {
                    Sprite part = Part(column.Start, row.Start, column.Length, row.Length);
                    if (part == null) continue;
                    int x = part.Inset[0], y = part.Inset[1];
                    quads.Add(part.Over(new[] { column.At(x), row.At(y), column.At(x + part.Width), row.At(y + part.Height) }, pivot, at));
                }
            }
            return quads;
        }
    }

    /// <summary>A piece of a band: what it shows of the canvas's side, and from where to where it is drawn.</summary>
    internal struct Piece
    {
        internal int Start, Length;
        internal double From, To;

        internal double At(int place) => From + (To - From) * (place - Start) / Length;
    }

    /// <summary>One side of a stretched sprite: its bands on the canvas, and where they are drawn.</summary>
    internal sealed class Bands
    {
        private readonly int[] source;
        private readonly double[] to;
        private readonly int copies;

        internal Bands(int length, int first, int last, double size, bool tiled)
        {
            double both = first + last, between = length - first - last;
            // Bands that do not fit side by side shrink in proportion.
            double scale = both > size ? size / both : 1;
            source = new[] { 0, first, length - last, length };
            to = new[] { 0, first * scale, size - last * scale, size };
            double wanted = tiled && between > 0 ? Math.Floor((to[2] - to[1]) / between + 0.5) : 1;
            copies = (int)Math.Min(Math.Max(wanted, 1), 1024);
        }

        internal IEnumerable<Piece> Pieces()
        {
            for (int band = 0; band < 3; band++)
            {
                int count = band == 1 ? copies : 1, length = source[band + 1] - source[band];
                double start = to[band], size = to[band + 1] - to[band];
                for (int n = 0; n < count; n++)
                {
                    var piece = new Piece { Start = source[band], Length = length, From = start + size * n / count, To = start + size * (n + 1) / count };
                    if (length > 0 && piece.To > piece.From) yield return piece;
                }
            }
        }

        internal double Place(double at)
        {
            int band = at < source[1] ? 0 : at > source[2] ? 2 : 1;
            double past = at - source[band], length = source[band + 1] - source[band];
            return length == 0 ? to[band] + past : to[band] + past * (to[band + 1] - to[band]) / length;
        }
    }

    /// <summary>A step of a clip. <c>Sprite</c> is a name of this atlas, or <c>atlas:name</c> of another one.</summary>
    public sealed class Step
    {
        public string Sprite { get; internal set; }
        public IReadOnlyList<string> Events { get; internal set; }
    }

    /// <summary>What a clip does after its last step.</summary>
    public enum Mode { Loop, Once, Bounce }

    /// <summary>
    /// What a clip shows at a given time: the number of the step, how often the clip has played, and whether a clip that plays once
    /// is over.
    /// </summary>
    public struct Shown
    {
        public int Step;
        public long Played;
        public bool Ended;
    }

    /// <summary>A time: nanoseconds and parts of one, so that frames at any rate are exact.</summary>
    internal struct Time
    {
        internal long Ns, Rest;

        internal bool Before(Time other) => Ns < other.Ns || Ns == other.Ns && Rest < other.Rest;
        internal Time Plus(Time other, long parts) => Of(Ns + other.Ns, Rest + other.Rest, parts);
        internal Time Less(Time other, long parts) => Of(Ns - other.Ns, Rest - other.Rest, parts);

        internal static Time Of(long ns, long rest, long parts)
        {
            return rest < 0 ? new Time { Ns = ns - 1, Rest = rest + parts } : rest < parts ? new Time { Ns = ns, Rest = rest } : new Time { Ns = ns + 1, Rest = rest - parts };
        }

        /// <summary>A time limited to what can be counted.</summary>
        internal static long Within(long ns) => Math.Max(-Latest, Math.Min(Latest, ns));
        internal const long Latest = long.MaxValue / 2;
    }

    /// <summary>A clip. Times are whole nanoseconds and counted exactly, at any rate, up to 146 years.</summary>
    public sealed class Clip
    {
        public string Name { get; }
        public Mode Mode { get; }
        public IReadOnlyList<Step> Steps { get; }
        // When each turn begins, and when the last one ends. A turn is one step of a period; a bounce meets steps twice, there and back.
        private readonly List<Time> starts = new List<Time> { new Time() };
        private readonly long parts;
        private readonly bool still;

        internal int Turns => starts.Count - 1;
        internal bool IsEmpty => !still && !new Time().Before(starts[Turns]);
        internal bool IsTooLong => starts[Turns].Ns >= Time.Latest;

        internal Clip(string name, Mode mode, List<Step> steps, List<long?> own, long above, long below)
        {
            Name = name;
            Mode = mode;
            Steps = steps;
            // A frame takes below * 10^9 / above nanoseconds.
            parts = Math.Max(above, 1);
            var frame = new Time { Ns = below * 1000000000 / parts, Rest = below * 1000000000 % parts };
            int count = mode == Mode.Bounce && steps.Count > 2 ? 2 * steps.Count - 2 : steps.Count;
            for (int turn = 0; turn < count && !still && !IsTooLong; turn++)
            {
                long? ns = own[StepOf(turn)];
                still = ns == null && above == 0;
                starts.Add(starts[turn].Plus(still ? new Time() : ns == null ? frame : new Time { Ns = ns.Value }, parts));
            }
        }

        internal int StepOf(int turn) => turn < Steps.Count ? turn : 2 * Steps.Count - 2 - turn;

        /// <summary>
        /// What is shown at a given time. Negative times count back from the end of a period; a clip that plays once then shows its
        /// first step.
        /// </summary>
        public Shown At(long nanoseconds)
        {
            var time = new Time { Ns = Time.Within(nanoseconds) };
            long played = Fold(ref time);
            return new Shown { Step = StepOf(TurnAt(time)), Played = played, Ended = Mode == Mode.Once && played > 0 };
        }

        /// <summary>
        /// Moves a time into the first period, and returns how many periods lie before it. Uses only sums and halves, so it is exact.
        /// </summary>
        internal long Fold(ref Time time)
        {
            Time zero = new Time(), length = starts[Turns];
            bool below = time.Before(zero), over = !still && !time.Before(length);
            if (Mode == Mode.Once || still)
            {
                if (below || over) time = over ? length : Mode == Mode.Once ? zero : starts[Turns - 1];
                return over ? 1 : below && Mode != Mode.Once ? -1 : 0;
            }
            if (!below && !over) return 0;
            Time rest = below ? zero.Less(time, parts) : time, by = length;
            long times = 1, played = 0;
            while (by.Ns <= Time.Latest / 2 && !rest.Before(by.Plus(by, parts)))
            {
                by = by.Plus(by, parts);
                times *= 2;
            }
            for (; times > 0; times /= 2)
            {
                if (!rest.Before(by))
                {
                    rest = rest.Less(by, parts);
                    played += times;
                }
                by = new Time { Ns = by.Ns / 2, Rest = (by.Rest + by.Ns % 2 * parts) / 2 };
            }
            if (below && zero.Before(rest))
            {
                rest = length.Less(rest, parts);
                played++;
            }
            time = rest;
            return below ? -played : played;
        }

        internal int TurnAt(Time time)
        {
            int low = 0, high = Turns;
            while (high - low > 1)
            {
                int middle = (low + high) / 2;
                if (time.Before(starts[middle])) high = middle;
                else low = middle;
            }
            return low;
        }
    }

    /// <summary>Plays a clip.</summary>
    public sealed class Player
    {
        private Time now;
        private int turn, told;
        private long entered;

        public Clip Clip { get; }
        /// <summary>How often it has played through; negative after playing backwards past its beginning.</summary>
        public long Played { get; private set; }
        /// <summary>The step to show now.</summary>
        public Step Step => Clip.Steps[Clip.StepOf(turn)];
        /// <summary>Whether a clip that plays once is over.</summary>
        public bool Ended => Clip.Mode == Mode.Once && Played > 0;

        /// <summary>
        /// Starts at this position of the clip, in nanoseconds: start each of a crowd elsewhere, and they do not move in step.
        /// </summary>
        public Player(Clip clip, long nanoseconds = 0)
        {
            Clip = clip;
            now.Ns = Time.Within(nanoseconds);
            clip.Fold(ref now);
            turn = clip.TurnAt(now);
        }

        /// <summary>Advances by this many nanoseconds; a negative number plays backwards.</summary>
        public void Advance(long nanoseconds)
        {
            told = turn;
            now.Ns += Time.Within(nanoseconds);
            long periods = Clip.Fold(ref now), most = Time.Latest / 2 / Clip.Turns;
            turn = Clip.TurnAt(now);
            long whole = Clip.Mode == Mode.Once ? 0 : Math.Max(-most, Math.Min(most, periods));
            entered = whole * Clip.Turns + turn - told;
            Played = Clip.Mode == Mode.Once ? periods : Played + periods;
        }

        /// <summary>The next step that began during the last advance, in order; false when there are no more.</summary>
        public bool Next(out Step step)
        {
            step = null;
            if (entered == 0) return false;
            int by = entered > 0 ? 1 : -1;
            entered -= by;
            told = (told + by + Clip.Turns) % Clip.Turns;
            step = Clip.Steps[Clip.StepOf(told)];
            return true;
        }
    }

    /// <summary>Sprites packed onto pages, and clips of them.</summary>
    public sealed class Atlas
    {
        public const int Version = 1;

        public string Name { get; private set; }
        /// <summary>May be null.</summary>
        public string BuildId { get; private set; }
        public double Scale { get; private set; }
        /// <summary>The atlas that this one is another size of, or null.</summary>
        public string Base { get; private set; }
        public IReadOnlyList<Page> Pages { get; private set; }
        public IReadOnlyDictionary<string, Sprite> Sprites { get; private set; }
        public IReadOnlyDictionary<string, Clip> Clips { get; private set; }

        private Atlas() { }

        /// <summary>Reads a descriptor's text. Throws <see cref="ReadException"/> if it is not a valid descriptor.</summary>
        public static Atlas Read(string text)
        {
            var whole = new Value(new Json(text).Whole());
            int version = whole.Get("zemtak").Whole(0);
            if (version != Version) throw whole.Get("zemtak").Wrong("is version " + version + ", this reader reads version " + Version);
            List<string> needs = whole.Get("needs").Texts();
            if (needs.Count > 0) throw whole.Get("needs").Wrong("asks for " + string.Join(", ", needs) + ", which this reader does not know");
            List<Page> pages = whole.Get("pages").Items().ConvertAll(ReadPage);
            Dictionary<string, Sprite> sprites = whole.Get("sprites").Entries((name, value) => ReadSprite(name, value, pages));
            Dictionary<string, Clip> clips = whole.Get("clips").Entries((name, value) => ReadClip(name, value, sprites));
            return new Atlas
            {
                Name = whole.Get("name").Text(), BuildId = whole.Find("build_id")?.Text(), Scale = whole.Get("scale").Number(),
                Base = whole.Find("base")?.Text(), Pages = pages, Sprites = sprites, Clips = clips,
            };
        }

        private static T ReadLayer<T>(Value value, T layer) where T : Layer
        {
            layer.File = value.Get("file").Text();
            bool plain = layer.File.IndexOfAny(new[] { '\\', ':', '\0' }) < 0;
            foreach (string part in layer.File.Split('/')) plain &= part != "" && part != "." && part != "..";
            if (!plain) throw value.Get("file").Wrong("is not a relative path below the descriptor's folder");
            layer.Pixels = value.Get("pixels").Text();
            layer.Alpha = value.Get("alpha").Text();
            layer.Colour = value.Get("colour").Text();
            return layer;
        }

        private static Page ReadPage(Value value)
        {
            Value sampling = value.Get("sampling"), layers = value.Find("layers");
            return ReadLayer(value, new Page
            {
                Width = value.Get("width").Whole(1), Height = value.Get("height").Whole(1), Filter = sampling.Get("filter").Text(),
                Wrap = sampling.Get("wrap").Text(), Mips = sampling.Get("mips").Whole(1, 32), SafeMips = sampling.Find("safe_mips")?.Whole(-1),
                Hash = value.Get("hash").Text(),
                Layers = layers?.Entries((_, layer) => ReadLayer(layer, new Layer())) ?? new Dictionary<string, Layer>(),
            });
        }

        private static Sprite ReadSprite(string name, Value value, List<Page> pages)
        {
            Value tags = value.Find("tags"), points = value.Find("points"), stretch = value.Find("stretch");
            var sprite = new Sprite
            {
                Name = name, Page = value.Get("page").Whole(0), Box = value.Get("box").Wholes(4), Turned = value.Get("turned").Truth(),
                Canvas = value.Get("canvas").Wholes(2), Inset = value.Get("inset").Wholes(2), Pivot = value.Get("pivot").Point(),
                Stretch = stretch?.Wholes(4), Tags = tags?.Texts() ?? new List<string>(), User = value.Find("user")?.Of,
                Points = points?.Entries((_, point) => point.Point()) ?? new Dictionary<string, Point>(),
            };
            if (sprite.Page >= pages.Count) throw value.Get("page").Wrong("is " + sprite.Page + ", there are " + pages.Count + " pages");
            int[] size = { pages[sprite.Page].Width, pages[sprite.Page].Height }, box = sprite.Box, canvas = sprite.Canvas, bands = sprite.Stretch;
            sprite.PageSize = size;
            if (box[2] < 1 || box[3] < 1 || box[0] + box[2] > size[0] || box[1] + box[3] > size[1]) throw value.Get("box").Wrong("does not lie on its page");
            bool inside = sprite.Inset[0] + sprite.Width <= canvas[0] && sprite.Inset[1] + sprite.Height <= canvas[1];
            if (!inside) throw value.Get("inset").Wrong("puts the box beyond the canvas");
            if (bands != null && (bands[0] + bands[2] > canvas[0] || bands[1] + bands[3] > canvas[1])) throw stretch.Wrong("has bands wider than the canvas");
            return sprite;
        }

        /// <summary>A rate as written in the descriptor: a number of up to nine digits, or a ratio such as "60000/1001".</summary>
        private static void ReadRate(Value value, out long above, out long below)
        {
            above = below = -1;
            if (value.Of is string text)
            {
                string[] parts = text.Split('/');
                bool digits = parts.Length == 2 && parts[0].Length <= 10 && parts[1].Length <= 10;
                digits = digits && long.TryParse(parts[0], NumberStyles.None, CultureInfo.InvariantCulture, out above);
                if (!digits || !long.TryParse(parts[1], NumberStyles.None, CultureInfo.InvariantCulture, out below)) above = -1;
            }
            else if (value.Of is double number && number < int.MaxValue)
            {
                // The shortest decimal that reads back as this number.
                for (below = 1; below <= 1000000000 && Math.Floor(number * below + 0.5) / below != number;) below *= 10;
                above = below <= 1000000000 ? (long)Math.Floor(number * below + 0.5) : -1;
            }
            if (above < 0 || above > int.MaxValue || below < 1 || below > uint.MaxValue)
            {
                throw value.Wrong("is neither a number of up to nine digits nor a ratio such as 60000/1001");
            }
            long a = above, b = below;
            while (b != 0)
            {
                long rest = a % b;
                a = b;
                b = rest;
            }
            above /= a;
            below /= a;
        }

        private static Clip ReadClip(string name, Value value, Dictionary<string, Sprite> sprites)
        {
            Value list = value.Get("steps"), fps = value.Find("fps");
            int mode = Array.IndexOf(new[] { "loop", "once", "bounce" }, value.Get("mode").Text());
            if (mode < 0) throw value.Get("mode").Wrong("is neither loop, once nor bounce");
            var steps = new List<Step>();
            var own = new List<long?>();
            foreach (Value step in list.Items())
            {
                string sprite = step.Get("sprite").Text();
                Value ms = step.Find("ms"), events = step.Find("events");
                if (!sprites.ContainsKey(sprite) && sprite.IndexOf(':') < 0) throw step.Get("sprite").Wrong("is not a sprite of this atlas");
                if (ms == null && fps == null) throw step.Wrong("has no ms, and its clip has no fps");
                double ns = ms == null ? 0 : ms.Number() * 1e6;
                if (!(ns >= 0 && ns <= 1e18)) throw ms.Wrong("is not a duration");
                own.Add(ms == null ? (long?)null : (long)(Math.Floor(ns) + (ns - Math.Floor(ns) >= 0.5 ? 1 : 0)));
                steps.Add(new Step { Sprite = sprite, Events = events?.Texts() ?? new List<string>() });
            }
            if (steps.Count == 0) throw list.Wrong("is empty");
            long above = 10, below = 1;
            if (fps != null) ReadRate(fps, out above, out below);
            var clip = new Clip(name, (Mode)mode, steps, own, above, below);
            if (clip.IsEmpty) throw list.Wrong("take no time, all together");
            if (clip.IsTooLong) throw list.Wrong("take more than 146 years, all together");
            return clip;
        }
    }

    /// <summary>A value, and its place by its key or number in the value around it: most places are never told, so they are put together when
    /// one is.</summary>
    internal sealed class Value
    {
        internal readonly object Of;
        private readonly Value around;
        private readonly string before, after;
        private readonly object key;

        internal Value(object of, Value around = null, string before = "", object key = null, string after = "")
        {
            Of = of;
            this.around = around;
            this.before = before;
            this.key = key;
            this.after = after;
        }

        private string Place()
        {
            if (around == null) return "";
            string outer = around.Place();
            return outer + (outer == "" ? "" : before) + key + after;
        }

        internal ReadException Wrong(string why) => new ReadException(Place(), why);

        private T As<T>(string what) => Of is T ? (T)Of : throw Wrong("should be " + what);

        internal Value Find(string key)
        {
            As<Dictionary<string, object>>("an object").TryGetValue(key, out object found);
            return found == null ? null : new Value(found, this, ".", key);
        }

        internal Value Get(string key) => Find(key) ?? throw Wrong("has no " + key);

        internal Dictionary<string, T> Entries<T>(Func<string, Value, T> read)
        {
            var entries = new Dictionary<string, T>(StringComparer.Ordinal);
            foreach (var entry in As<Dictionary<string, object>>("an object")) entries[entry.Key] = read(entry.Key, new Value(entry.Value, this, "[\"", entry.Key, "\"]"));
            return entries;
        }

        internal List<Value> Items()
        {
            var items = new List<Value>();
            foreach (object item in As<List<object>>("a list")) items.Add(new Value(item, this, "[", items.Count, "]"));
            return items;
        }

        internal string Text() => As<string>("a text");
        internal List<string> Texts() => Items().ConvertAll(item => item.Text());
        internal bool Truth() => As<bool>("true or false");
        internal double Number() => As<double>("a number");

        internal int Whole(int least, int most = 1 << 20)
        {
            double number = As<double>("a whole number");
            if (!(number >= least && number <= most) || number != Math.Floor(number)) throw Wrong("is not a whole number from " + least + " to " + most);
            return (int)number;
        }

        private List<Value> Several(int count)
        {
            List<Value> items = Items();
            return items.Count == count ? items : throw Wrong("should have " + count + " numbers");
        }

        internal int[] Wholes(int count) => Several(count).ConvertAll(item => item.Whole(0)).ToArray();

        internal Point Point()
        {
            List<Value> items = Several(2);
            return new Point(items[0].Number(), items[1].Number());
        }
    }

    /// <summary>JSON as dictionaries, lists, strings, doubles, bools and null.</summary>
    internal sealed class Json
    {
        private readonly string text;
        private int at;

        internal Json(string text)
        {
            this.text = text;
        }

        internal object Whole()
        {
            object value = Read(0);
            Peek();
            return at == text.Length ? value : throw Wrong("unexpected text after the descriptor");
        }

        private ReadException Wrong(string why)
        {
            int line = 1, column = 1;
            for (int i = 0; i < at && i < text.Length; i++, column++) if (text[i] == '\n') { line++; column = 0; }
            return new ReadException("line " + line + ", column " + column, why);
        }

        /// <summary>The next character that is not a space; 0 at the end.</summary>
        private char Peek()
        {
            while (at < text.Length && text[at] <= ' ' && " \n\r\t".IndexOf(text[at]) >= 0) at++;
            return at < text.Length ? text[at] : '\0';
        }

        private bool Meets(string word)
        {
            if (string.CompareOrdinal(text, at, word, 0, word.Length) != 0) return false;
            at += word.Length;
            return true;
        }

        private object Read(int depth)
        {
            if (depth > 100) throw Wrong("lists and objects are nested too deeply");
            char first = Peek();
            if (first == '{' || first == '[') return Several(first == '{', depth);
            if (first == '"') return String();
            if (first == 't' && Meets("true")) return true;
            if (first == 'f' && Meets("false")) return false;
            return first == 'n' && Meets("null") ? null : (object)Number();
        }

        private object Several(bool keys, int depth)
        {
            var entries = new Dictionary<string, object>(StringComparer.Ordinal);
            var list = new List<object>();
            char close = keys ? '}' : ']';
            at++;
            for (bool first = true; first ? Peek() != close : Peek() == ','; first = false)
            {
                if (!first) at++;
                if (!keys)
                {
                    list.Add(Read(depth + 1));
                    continue;
                }
                if (Peek() != '"') throw Wrong("a key is expected");
                string key = String();
                if (Peek() != ':') throw Wrong("a colon is expected");
                at++;
                entries[key] = Read(depth + 1);
            }
            if (Peek() != close) throw Wrong("a comma or the end of a list or an object is expected");
            at++;
            return keys ? entries : (object)list;
        }

        private bool Digits()
        {
            int start = at;
            while (at < text.Length && text[at] >= '0' && text[at] <= '9') at++;
            return at > start;
        }

        private double Number()
        {
            int start = at;
            Meets("-");
            int digits = at;
            bool right = Digits() && (text[digits] != '0' || at == digits + 1);
            // Most numbers are whole, positive and short.
            bool simple = right && start == digits && at - start < 16 && (at == text.Length || ".eE".IndexOf(text[at]) < 0);
            if (simple) return long.Parse(text.Substring(start, at - start), NumberStyles.None, CultureInfo.InvariantCulture);
            if (right && Meets(".")) right = Digits();
            if (right && (Meets("e") || Meets("E")))
            {
                if (!Meets("-")) Meets("+");
                right = Digits();
            }
            if (!right)
            {
                at = start;
                throw Wrong("a value is expected");
            }
            bool read = double.TryParse(text.Substring(start, at - start), NumberStyles.Float, CultureInfo.InvariantCulture, out double value);
            return read && !double.IsInfinity(value) ? value : throw Wrong("a number that is not finite");
        }

        private string String()
        {
            // Most texts have no escape sequence.
            int start = ++at;
            while (at < text.Length && text[at] >= ' ' && text[at] != '"' && text[at] != '\\') at++;
            if (at < text.Length && text[at] == '"') return text.Substring(start, at++ - start);
            var made = new StringBuilder(text.Substring(start, at - start));
            for (; at < text.Length && text[at] != '"'; at++)
            {
                char c = text[at];
                if (c < ' ') throw Wrong("an unterminated string");
                if (c != '\\')
                {
                    made.Append(c);
                    continue;
                }
                c = ++at < text.Length ? text[at] : '\0';
                int simple = "\"\\/bfnrt".IndexOf(c), code = 0;
                bool hex = c == 'u' && at + 4 < text.Length
                    && int.TryParse(text.Substring(at + 1, 4), NumberStyles.AllowHexSpecifier, CultureInfo.InvariantCulture, out code);
                if (simple >= 0) made.Append("\"\\/\b\f\n\r\t"[simple]);
                else if (hex) made.Append((char)code);
                else throw Wrong("an unknown escape sequence");
                at += hex ? 4 : 0;
            }
            if (at++ >= text.Length) throw Wrong("an unterminated string");
            return made.ToString();
        }
    }
}
