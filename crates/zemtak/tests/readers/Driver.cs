using System;
using System.Collections.Generic;
using System.Globalization;
using System.IO;
using System.Linq;
using System.Text;
using ZemtakReader;

/// <summary>Answers a list of questions with the reader for C#.</summary>
internal static class Driver
{
    private static string Tell(double v) => v.ToString("R", CultureInfo.InvariantCulture);

    private static string Tell(float v) => v.ToString("R", CultureInfo.InvariantCulture);

    private static string Tell(Quad quad) => string.Join(" ", quad.Positions.Concat(quad.Uvs).Select(Tell)) + " " + string.Join(" ", quad.Indices);

    private static Placement Placement(double[] v) => new Placement(v[0], v[1])
    {
        ScaleX = v[2], ScaleY = v[3], Degrees = v[4], YUp = v[5] != 0, VUp = v[6] != 0, Shrink = v[7],
    };

    private static string Tell(Page p)
    {
        string safe = p.SafeMips == null ? "none" : p.SafeMips.ToString();
        object[] values = { p.File, p.Width, p.Height, p.Pixels, p.Alpha, p.Colour, p.Filter, p.Wrap, p.Mips, safe, p.Hash };
        var layers = p.Layers.Select(l => string.Join(" ", l.Key, l.Value.File, l.Value.Pixels, l.Value.Alpha, l.Value.Colour));
        return string.Join("\t", new[] { string.Join(" ", values) }.Concat(layers));
    }

    private static string Tell(Sprite s)
    {
        IEnumerable<string> numbers = new[] { s.Page }.Concat(s.Box).Concat(new[] { s.Turned ? 1 : 0 }).Concat(s.Canvas).Concat(s.Inset)
            .Select(v => v.ToString(CultureInfo.InvariantCulture)).Concat(new[] { Tell(s.Pivot.X), Tell(s.Pivot.Y) });
        numbers = numbers.Concat((s.Stretch ?? new int[4]).Select(v => v.ToString(CultureInfo.InvariantCulture)));
        IEnumerable<string> points = s.Points.Select(p => p.Key + "=" + Tell(p.Value.X) + "," + Tell(p.Value.Y));
        return string.Join("\t", new[] { string.Join(" ", numbers) }.Concat(points).Concat(s.Tags.Select(tag => "#" + tag)));
    }

    private static string Answer(Clip clip, string kind, string numbers)
    {
        if (kind == "clip")
        {
            var steps = clip.Steps.Select(step => string.Join("!", new[] { step.Sprite }.Concat(step.Events)));
            return string.Join("\t", new[] { ((int)clip.Mode).ToString() }.Concat(steps));
        }
        long[] times = numbers.Split(' ').Select(long.Parse).ToArray();
        if (kind == "at")
        {
            Shown shown = clip.At(times[0]);
            return shown.Step + " " + shown.Played + (shown.Ended ? " 1" : " 0");
        }
        var made = new StringBuilder();
        var player = new Player(clip, times[0]);
        foreach (long time in times.Skip(1))
        {
            player.Advance(time);
            while (player.Next(out Step step)) made.Append(step.Sprite).Append(';');
            made.Append('|').Append(player.Step.Sprite).Append(' ').Append(player.Played).Append(player.Ended ? " 1\t" : " 0\t");
        }
        return made.ToString();
    }

    private static string Answer(Atlas atlas, string kind, string name, string numbers)
    {
        if (kind == "clip" || kind == "at" || kind == "play") return Answer(atlas.Clips[name], kind, numbers);
        if (kind == "atlas") return string.Join(" ", atlas.Name, atlas.BuildId ?? "none", atlas.Base ?? "none", Tell(atlas.Scale));
        if (kind == "page") return Tell(atlas.Pages[int.Parse(numbers)]);
        Sprite sprite = atlas.Sprites[name];
        if (kind == "sprite") return Tell(sprite);
        double[] v = numbers.Split(' ').Select(n => double.Parse(n, CultureInfo.InvariantCulture)).ToArray();
        switch (kind)
        {
            case "uv": return string.Join(" ", sprite.Uvs(v[0] != 0, v[1] != 0, v[2] != 0, v[3]).Select(Tell));
            case "part":
                Sprite part = sprite.Part((int)v[0], (int)v[1], (int)v[2], (int)v[3]);
                return part == null ? "none" : Tell(part.Quad(new Placement(5, 7)));
            case "quad": return Tell(sprite.Quad(Placement(v)));
            default: return string.Concat(sprite.Stretched(v[0], v[1], Placement(v.Skip(3).ToArray()), v[2] != 0).Select(quad => Tell(quad) + "\t"));
        }
    }

    private static string Check(string path)
    {
        try
        {
            Atlas.Read(File.ReadAllText(path));
            return "ok";
        }
        catch (ReadException error)
        {
            return error.Message.Replace("\n", " ");
        }
    }

    private static void Main(string[] words)
    {
        var made = new StringBuilder();
        if (words[0] == "--check")
        {
            foreach (string path in words.Skip(1)) made.Append(Check(path)).Append('\n');
        }
        else
        {
            Atlas atlas = Atlas.Read(File.ReadAllText(words[0]));
            foreach (string line in File.ReadAllText(words[1]).Split(new[] { '\n' }, StringSplitOptions.RemoveEmptyEntries))
            {
                string[] parts = line.Split('\t');
                made.Append(Answer(atlas, parts[0], parts[1], parts[2])).Append('\n');
            }
        }
        byte[] bytes = new UTF8Encoding(false).GetBytes(made.ToString());
        Console.OpenStandardOutput().Write(bytes, 0, bytes.Length);
    }
}
