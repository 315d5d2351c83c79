// Which of many changed texts of a Java program its compiler accepts; nothing is run.
//
//     java Accepted.java < TEXTS
//
// A text is the name of a file, a line with the number of its characters, and the characters. First come the texts of the
// program and an empty line, then the candidates. For each of these a line is answered: 1 where the compiler accepts the program with that file, 0 where it does not; after an
// empty line all before it are.
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
                boolean[] accepted = accepted(compiler, files, units, number);
                StringBuilder said = new StringBuilder();
                for (boolean one : accepted) {
                    said.append(one ? "1\n" : "0\n");
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

    private static boolean[] accepted(JavaCompiler compiler, StandardJavaFileManager files, List<Text> units, int count) {
        boolean[] found = new boolean[count];
        java.util.Arrays.fill(found, true);
        boolean[] odd = new boolean[1];
        javax.tools.DiagnosticListener<JavaFileObject> told = one -> {
            if (one.getKind() == Diagnostic.Kind.ERROR) {
                JavaFileObject source = one.getSource();
                if (source instanceof Text) {
                    found[((Text) source).number] = false;
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
            java.util.Arrays.fill(found, true);
        }
        return found;
    }
}
