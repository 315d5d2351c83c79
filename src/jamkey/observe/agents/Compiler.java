// A Java compiler that stays warm: it is asked through one pipe and answers through another, many times.
//
//     java Compiler.java FOLDER
//
// FOLDER holds the pipes `asked` (the words of one call of javac, each ended by a zero byte) and `answer` (its exit
// status). What javac prints is left in `said` (standard output) and `told` (standard error) there.

import java.io.IOException;
import java.io.OutputStream;
import java.nio.charset.Charset;
import java.nio.file.Files;
import java.nio.file.Path;
import javax.tools.JavaCompiler;
import javax.tools.ToolProvider;

public class Compiler {
    public static void main(String[] words) throws IOException {
        Path folder = Path.of(words[0]);
        JavaCompiler compiler = ToolProvider.getSystemJavaCompiler();
        while (true) {
            String asked = new String(Files.readAllBytes(folder.resolve("asked")), Charset.defaultCharset());
            String[] given = asked.isEmpty() ? new String[0] : asked.split("\0");
            int status;
            try (OutputStream said = Files.newOutputStream(folder.resolve("said"));
                 OutputStream told = Files.newOutputStream(folder.resolve("told"))) {
                status = compiler.run(null, said, told, given);
            }
            Files.writeString(folder.resolve("answer"), status + "\n");
        }
    }
}
