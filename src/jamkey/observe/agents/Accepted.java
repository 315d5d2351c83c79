// What a Java compiler refuses in many changed texts of a program; nothing is run.
//
//     java Accepted.java < TEXTS
//
// A text is the name of a file, a line with the number of its characters, and the characters. First come the texts of the
// program and an empty line, then the candidates. For each of these a line is answered with what the compiler refuses in the
// program with that file, a number for each refusal (its words and the text of its line), nothing where it is accepted; after
// an empty line all before it are.
// Programs without a package of their own are compiled many at once, each in a package that is made for it: what takes long
// is to load what all of them use.

import com.sun.source.util.JavacTask;
import java.io.BufferedReader;
import java.io.IOException;
import java.io.InputStreamReader;
import java.net.URI;
import java.nio.charset.StandardCharsets;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.regex.Pattern;
import javax.tools.Diagnostic;
import javax.tools.JavaCompiler;
import javax.tools.JavaFileObject;
import javax.tools.SimpleJavaFileObject;
import javax.tools.StandardJavaFileManager;
import javax.tools.ToolProvider;

public class Accepted {
    private static final int FEWEST = 8, MOST = 64;
    private static final Pattern PACKAGE = Pattern.compile("(?m)^\\s*package\\s");
    private static final List<String> OPTIONS = List.of("-proc:none", "-Xlint:none", "-Xmaxerrs", "100000", "-XDshould-stop.ifError=FLOW");

    private static class Text extends SimpleJavaFileObject {
        private final String text;
        private final int number;

        Text(int number, String name, String text) {
            super(URI.create("string:///" + number + "/" + name.replace(' ', '_')), Kind.SOURCE);
            this.number = number;
            this.text = text;
        }

        @Override
        public CharSequence getCharContent(boolean ignored) {
            return text;
        }

        String line(long position) {
            if (position < 0 || position > text.length()) {
                return "";
            }
            int end = text.indexOf('\n', (int) position);
            return text.substring(text.lastIndexOf('\n', (int) position - 1) + 1, end < 0 ? text.length() : end).strip();
        }
    }

    public static void main(String[] words) throws IOException {
        BufferedReader asked = new BufferedReader(new InputStreamReader(System.in, StandardCharsets.UTF_8));
        Map<String, String> sources = new LinkedHashMap<>();
        boolean packages = false;
        for (String name; (name = asked.readLine()) != null && !name.isEmpty(); ) {
            String text = read(asked);
            packages |= PACKAGE.matcher(text).find();
            sources.put(name, text);
        }
        JavaCompiler compiler = ToolProvider.getSystemJavaCompiler();
        StandardJavaFileManager files = compiler.getStandardFileManager(null, null, null);
        int together = packages ? 1 : FEWEST;
        List<Text> units = new ArrayList<>();
        int number = 0;
        while (true) {
            String name = asked.readLine();
            boolean waits = name == null || name.isEmpty();
            if (!waits) {
                String text = read(asked);
                String before = packages ? "" : "package jamkey" + number + "; ";
                for (Map.Entry<String, String> source : sources.entrySet()) {
                    units.add(new Text(number, source.getKey(), before + (source.getKey().equals(name) ? text : source.getValue())));
                }
                number++;
            }
            if (number == together || waits && number > 0) {
                StringBuilder said = new StringBuilder();
                for (List<String> one : refusals(compiler, files, units, number)) {
                    said.append(String.join(" ", one.subList(0, Math.min(one.size(), MOST)))).append('\n');
                }
                System.out.print(said);
                System.out.flush();
                units = new ArrayList<>();
                number = 0;
                together = packages ? 1 : Math.min(2 * together, MOST);
            }
            if (name == null) {
                return;
            }
        }
    }

    private static String read(BufferedReader asked) throws IOException {
        char[] text = new char[Integer.parseInt(asked.readLine())];
        for (int read = 0; read < text.length; ) {
            int more = asked.read(text, read, text.length - read);
            if (more < 0) {
                break;
            }
            read += more;
        }
        asked.readLine();
        return new String(text);
    }

    private static List<List<String>> refusals(JavaCompiler compiler, StandardJavaFileManager files, List<Text> units, int count) {
        List<List<String>> found = new ArrayList<>();
        for (int one = 0; one < count; one++) {
            found.add(new ArrayList<>());
        }
        boolean[] odd = new boolean[1];
        javax.tools.DiagnosticListener<JavaFileObject> told = one -> {
            if (one.getKind() == Diagnostic.Kind.ERROR) {
                JavaFileObject source = one.getSource();
                if (source instanceof Text) {
                    Text text = (Text) source;
                    String words = one.getMessage(null).replace("jamkey" + text.number + ".", "");
                    found.get(text.number).add(Integer.toHexString((words + "\n" + text.line(one.getPosition())).hashCode()));
                } else {
                    odd[0] = true;
                }
            }
        };
        try {
            JavacTask task = (JavacTask) compiler.getTask(null, files, told, OPTIONS, null, units);
            task.analyze();
        } catch (IOException | RuntimeException | Error failed) {
            odd[0] = true; // the compiler itself failed: nothing is known
        }
        if (odd[0]) {
            found.forEach(List::clear);
        }
        return found;
    }
}
