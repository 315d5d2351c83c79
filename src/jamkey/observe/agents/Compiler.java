// A Java compiler and a Java virtual machine that stay warm: asked through one pipe, they answer through another, many times.
//
//     java -Djava.security.manager=allow Compiler.java FOLDER
//
// FOLDER holds the pipes `asked` (the words of one call of javac or java, the tool's name first, each ended by a zero byte) and
// `answer` (its exit status; - for a call that is left to the tool). What is printed is left in `said` (standard output) and
// `told` (standard error) there. Each program is loaded anew, by a class loader of its own.

import java.io.ByteArrayInputStream;
import java.io.IOException;
import java.io.InputStream;
import java.io.OutputStream;
import java.io.PrintStream;
import java.lang.reflect.InvocationTargetException;
import java.lang.reflect.Method;
import java.lang.reflect.Modifier;
import java.net.URL;
import java.net.URLClassLoader;
import java.nio.charset.Charset;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import java.util.Locale;
import java.util.Properties;
import java.util.TimeZone;
import java.util.concurrent.atomic.AtomicInteger;
import javax.tools.JavaCompiler;
import javax.tools.ToolProvider;

public class Compiler {
    private static final String LEFT_TO_THE_TOOL = "-";
    /** The exit status with which we ask to be started again. */
    private static final int BEGIN_ANEW = 75;
    /** Whether a program has left threads behind, which nobody can end and which would print into the next. */
    private static boolean left = false;

    public static void main(String[] words) throws IOException {
        Path folder = Path.of(words[0]);
        JavaCompiler compiler = ToolProvider.getSystemJavaCompiler();
        boolean runs = keepsRunning();
        while (true) {
            String asked = new String(Files.readAllBytes(folder.resolve("asked")), Charset.defaultCharset());
            String[] all = asked.isEmpty() ? new String[] {"javac"} : asked.split("\0");
            String[] given = Arrays.copyOfRange(all, 1, all.length);
            String status;
            try (OutputStream said = Files.newOutputStream(folder.resolve("said"));
                 OutputStream told = Files.newOutputStream(folder.resolve("told"))) {
                if (all[0].equals("javac")) {
                    status = String.valueOf(compiler.run(null, said, told, given));
                } else {
                    status = runs ? ran(given, said, told) : LEFT_TO_THE_TOOL;
                }
            }
            if (left) {
                Files.writeString(folder.resolve("leaving"), ""); // said before the answer: the next is not to ask us
            }
            Files.writeString(folder.resolve("answer"), status + "\n");
            if (left) {
                Runtime.getRuntime().halt(BEGIN_ANEW);
            }
        }
    }

    /** What ends a program that calls System.exit. */
    private static class Ended extends Error {
        final int status;

        Ended(int status) {
            super(null, null, false, false);
            this.status = status;
        }
    }

    /** Keep a program's System.exit from ending us; tell whether that can be done here. */
    @SuppressWarnings("removal")
    private static boolean keepsRunning() {
        try {
            System.setSecurityManager(new SecurityManager() {
                @Override
                public void checkExit(int status) {
                    if (Thread.currentThread().getThreadGroup() instanceof Program) {
                        Program program = (Program) Thread.currentThread().getThreadGroup();
                        program.status.set(status);
                        program.exits = true;
                        throw new Ended(status);
                    }
                }

                @Override
                public void checkPermission(java.security.Permission permission) {}
            });
            return true;
        } catch (UnsupportedOperationException left) {
            return false;
        }
    }

    /** The threads of one program. */
    private static class Program extends ThreadGroup {
        final AtomicInteger status = new AtomicInteger(-1);
        volatile boolean exits = false;

        Program() {
            super("main");
        }

        @Override
        public void uncaughtException(Thread thread, Throwable failure) {
            if (!(failure instanceof Ended)) {
                super.uncaughtException(thread, failure);
            }
        }
    }

    private static String ran(String[] given, OutputStream said, OutputStream told) throws IOException {
        List<URL> places = new ArrayList<>();
        boolean asserts = false;
        String path = ".";
        int at = 0;
        for (; at < given.length && given[at].startsWith("-"); at++) {
            if (Arrays.asList("-cp", "-classpath", "--class-path").contains(given[at]) && at + 1 < given.length) {
                path = given[++at];
            } else if (given[at].equals("-ea") || given[at].equals("-enableassertions")) {
                asserts = true;
            } else {
                return LEFT_TO_THE_TOOL;
            }
        }
        if (at >= given.length || path.contains("*")) {
            return LEFT_TO_THE_TOOL;
        }
        for (String place : path.split(java.io.File.pathSeparator)) {
            places.add(Path.of(place.isEmpty() ? "." : place).toUri().toURL());
        }
        String name = given[at];
        String[] words = Arrays.copyOfRange(given, at + 1, given.length);
        PrintStream out = System.out, err = System.err;
        InputStream in = System.in;
        Properties properties = (Properties) System.getProperties().clone();
        Locale shown = Locale.getDefault(Locale.Category.DISPLAY), formed = Locale.getDefault(Locale.Category.FORMAT);
        TimeZone zone = TimeZone.getDefault();
        try (URLClassLoader loader = new URLClassLoader(places.toArray(new URL[0]), ClassLoader.getPlatformClassLoader());
             PrintStream printed = new PrintStream(said, true);
             PrintStream failed = new PrintStream(told, true)) {
            loader.setDefaultAssertionStatus(asserts);
            Method begin = Class.forName(name, false, loader).getDeclaredMethod("main", String[].class);
            if (!Modifier.isStatic(begin.getModifiers())) {
                return LEFT_TO_THE_TOOL;
            }
            begin.setAccessible(true);
            System.setOut(printed);
            System.setErr(failed);
            System.setIn(new ByteArrayInputStream(new byte[0]));
            Program program = new Program();
            Thread thread = new Thread(program, () -> {
                try {
                    begin.invoke(null, (Object) words);
                } catch (InvocationTargetException raised) {
                    Throwable failure = raised.getCause();
                    if (!(failure instanceof Ended)) {
                        program.status.compareAndSet(-1, 1);
                        program.uncaughtException(Thread.currentThread(), ownOnly(failure));
                    }
                } catch (IllegalAccessException refused) {
                    program.status.compareAndSet(-1, 1);
                }
            }, "main", 0);
            thread.setContextClassLoader(loader);
            thread.start();
            ended(program, thread);
            System.out.flush();
            left = program.activeCount() > 0;
            return String.valueOf(Math.max(program.status.get(), 0));
        } catch (ReflectiveOperationException | LinkageError left) {
            return LEFT_TO_THE_TOOL;
        } finally {
            System.setOut(out);
            System.setErr(err);
            System.setIn(in);
            System.setProperties(properties);
            Locale.setDefault(Locale.Category.DISPLAY, shown);
            Locale.setDefault(Locale.Category.FORMAT, formed);
            TimeZone.setDefault(zone);
            Thread.setDefaultUncaughtExceptionHandler(null);
        }
    }

    /** Wait for all threads of a program that a virtual machine would wait for; one that calls System.exit waits for none. */
    private static void ended(Program program, Thread first) {
        boolean waits = true;
        while (waits && !program.exits || first.isAlive()) {
            Thread[] found = new Thread[program.activeCount() + 8];
            int count = program.enumerate(found);
            waits = false;
            for (int place = 0; place < count; place++) {
                waits |= !found[place].isDaemon() && found[place].isAlive();
            }
            try {
                first.join(1);
                if (!first.isAlive() && waits) {
                    Thread.sleep(1);
                }
            } catch (InterruptedException again) {
                continue;
            }
        }
    }

    /** Take our own frames out of a trace. */
    private static Throwable ownOnly(Throwable failure) {
        for (Throwable each = failure; each != null; each = each.getCause()) {
            StackTraceElement[] all = each.getStackTrace();
            int kept = all.length;
            for (int place = 0; place < all.length; place++) {
                if (all[place].getClassName().startsWith("jdk.internal.reflect.")) {
                    kept = place;
                }
                if (all[place].getClassName().startsWith("Compiler")) {
                    break;
                }
            }
            while (kept > 0 && all[kept - 1].getClassName().startsWith("jdk.internal.reflect.")) {
                kept--;
            }
            each.setStackTrace(Arrays.copyOfRange(all, 0, kept));
        }
        return failure;
    }
}
