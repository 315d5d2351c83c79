% An Octave that has started already: each script that it is asked for runs in a child of its own.
%
%     octave-cli forks.m FOLDER
%
% FOLDER holds the pipes `asked` (a script's path, ended by a zero byte) and `answer` (its exit status). What the script prints
% is left in `said` (standard output) and `told` (standard error) there.

1;

function jamkey_led (stream, said)
  target = fopen (said, "w");
  dup2 (target, stream);
endfunction

function jamkey_tell (err)
  fflush (stdout);
  fprintf (stderr, "error: %s\n", err.message);
  own = cellfun (@isempty, strfind ({err.stack.name}, "forks.m"));
  stack = err.stack(own);
  if (! isempty (stack))
    fprintf (stderr, "error: called from\n");
    for place = 1:numel (stack)
      fprintf (stderr, "    %s at line %d column %d\n", stack(place).name, stack(place).line, stack(place).column);
    endfor
  endif
endfunction

jamkey_folder = argv (){1};
while (true)
  jamkey_pipe = fopen (fullfile (jamkey_folder, "asked"), "r");
  jamkey_script = char (fread (jamkey_pipe, Inf, "uint8")');
  fclose (jamkey_pipe);
  jamkey_script = strtok (jamkey_script, "\0");
  jamkey_child = fork ();
  if (jamkey_child == 0)
    jamkey_led (stdout, fullfile (jamkey_folder, "said"));
    jamkey_led (stderr, fullfile (jamkey_folder, "told"));
    jamkey_status = 0;
    try
      source (jamkey_script);
    catch jamkey_error
      jamkey_tell (jamkey_error);
      jamkey_status = 1;
    end_try_catch
    fflush (stdout);
    fflush (stderr);
    exit (jamkey_status);
  endif
  [~, jamkey_ended] = waitpid (jamkey_child);
  if (WIFEXITED (jamkey_ended))
    jamkey_status = WEXITSTATUS (jamkey_ended);
  else
    jamkey_status = 128 + WTERMSIG (jamkey_ended);
  endif
  jamkey_pipe = fopen (fullfile (jamkey_folder, "answer"), "w");
  fprintf (jamkey_pipe, "%d\n", jamkey_status);
  fclose (jamkey_pipe);
endwhile
