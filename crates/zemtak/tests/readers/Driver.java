import java.io.IOException;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.Arrays;
import java.util.List;

/** Answers a list of questions with the reader for Java. */
public final class Driver {
    private Driver() {}

    private static String quad(ZemtakReader.Quad quad) {
        StringBuilder out = new StringBuilder();
        for (float v : quad.positions()) out.append(v).append(' ');
        for (float v : quad.uvs()) out.append(v).append(' ');
        for (int i : quad.indices()) out.append(i).append(' ');
        return out.toString();
    }

    private static ZemtakReader.Placement placement(double[] v, int at) {
        return new ZemtakReader.Placement(v[at], v[at + 1], v[at + 2], v[at + 3], v[at + 4], v[at + 5] != 0, v[at + 6] != 0, v[at + 7]);
    }

    private static String orNone(Object value) {
        return value == null ? "none" : value.toString();
    }

    private static String layer(ZemtakReader.Layer layer) {
        return String.join(" ", layer.file(), layer.pixels(), layer.alpha(), layer.colour());
    }

    private static String page(ZemtakReader.Page p) {
        ZemtakReader.Layer image = p.image();
        StringBuilder out = new StringBuilder();
        out.append(String.join(" ", image.file(), "" + p.width(), "" + p.height(), image.pixels(), image.alpha(), image.colour()));
        out.append(' ').append(String.join(" ", p.filter(), p.wrap(), "" + p.mips(), orNone(p.safeMips()), p.hash()));
        p.layers().forEach((name, layer) -> out.append('\t').append(name).append(' ').append(layer(layer)));
        return out.toString();
    }

    private static String sprite(ZemtakReader.Sprite s) {
        StringBuilder out = new StringBuilder();
        out.append(s.page());
        for (int v : s.box()) out.append(' ').append(v);
        out.append(s.turned() ? " 1" : " 0");
        for (int[] pair : List.of(s.canvas(), s.inset())) out.append(' ').append(pair[0]).append(' ').append(pair[1]);
        out.append(' ').append(s.pivot().x()).append(' ').append(s.pivot().y());
        for (int v : s.stretch() == null ? new int[4] : s.stretch()) out.append(' ').append(v);
        s.points().forEach((name, p) -> out.append('\t').append(name).append('=').append(p.x()).append(',').append(p.y()));
        s.tags().forEach(tag -> out.append("\t#").append(tag));
        return out.toString();
    }

    private static String clip(ZemtakReader.Clip clip, String kind, String numbers) {
        StringBuilder out = new StringBuilder();
        if (kind.equals("clip")) {
            out.append(clip.mode.ordinal());
            for (ZemtakReader.Step step : clip.steps) {
                out.append('\t').append(step.sprite());
                step.events().forEach(event -> out.append('!').append(event));
            }
            return out.toString();
        }
        long[] times = Arrays.stream(numbers.split(" ")).mapToLong(Long::parseLong).toArray();
        if (kind.equals("at")) {
            ZemtakReader.Shown shown = clip.at(times[0]);
            return shown.step() + " " + shown.played() + (shown.ended() ? " 1" : " 0");
        }
        ZemtakReader.Player player = new ZemtakReader.Player(clip, times[0]);
        for (int i = 1; i < times.length; i++) {
            player.advance(times[i]);
            for (ZemtakReader.Step step = player.next(); step != null; step = player.next()) out.append(step.sprite()).append(';');
            out.append('|').append(player.step().sprite()).append(' ').append(player.played()).append(player.ended() ? " 1\t" : " 0\t");
        }
        return out.toString();
    }

    private static String answer(ZemtakReader.Atlas atlas, String kind, String name, String numbers) {
        if (List.of("clip", "at", "play").contains(kind)) return clip(atlas.clips().get(name), kind, numbers);
        if (kind.equals("atlas")) return String.join(" ", atlas.name(), orNone(atlas.buildId()), orNone(atlas.base()), "" + atlas.scale());
        if (kind.equals("page")) return page(atlas.pages().get(Integer.parseInt(numbers)));
        ZemtakReader.Sprite sprite = atlas.sprites().get(name);
        if (kind.equals("sprite")) return sprite(sprite);
        double[] v = Arrays.stream(numbers.split(" ")).mapToDouble(Double::parseDouble).toArray();
        switch (kind) {
            case "uv": {
                StringBuilder out = new StringBuilder();
                for (float t : sprite.uvs(new ZemtakReader.Sampling(v[0] != 0, v[1] != 0, v[2] != 0, v[3]))) out.append(t).append(' ');
                return out.toString();
            }
            case "part": {
                ZemtakReader.Sprite part = sprite.part((int) v[0], (int) v[1], (int) v[2], (int) v[3]);
                return part == null ? "none" : quad(part.quad(ZemtakReader.Placement.at(5, 7)));
            }
            case "quad":
                return quad(sprite.quad(placement(v, 0)));
            default: {
                StringBuilder out = new StringBuilder();
                for (ZemtakReader.Quad quad : sprite.stretched(v[0], v[1], v[2] != 0, placement(v, 3))) out.append(quad(quad)).append('\t');
                return out.toString();
            }
        }
    }

    private static ZemtakReader.Atlas read(String path) throws IOException, ZemtakReader.ReadException {
        return ZemtakReader.read(new String(Files.readAllBytes(Path.of(path)), StandardCharsets.UTF_8));
    }

    public static void main(String[] words) throws Exception {
        StringBuilder out = new StringBuilder();
        if (words[0].equals("--check")) {
            for (String path : Arrays.asList(words).subList(1, words.length)) {
                try {
                    read(path);
                    out.append("ok\n");
                } catch (ZemtakReader.ReadException error) {
                    out.append(error.getMessage().replace('\n', ' ')).append('\n');
                }
            }
        } else {
            ZemtakReader.Atlas atlas = read(words[0]);
            for (String line : Files.readString(Path.of(words[1])).split("\n")) {
                String[] parts = line.split("\t", -1);
                out.append(answer(atlas, parts[0], parts[1], parts[2])).append('\n');
            }
        }
        System.out.write(out.toString().getBytes(StandardCharsets.UTF_8));
        System.out.flush();
    }
}
