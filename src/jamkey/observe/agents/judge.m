% Says of many edits at once what they would do: expressions are evaluated with the names where they stand, at the end.
%
% Octave runs it before the script, as its site initialisation file; it answers at the exit, after an error too. The
% environment names two files of ours, what is asked and where the answer goes, as `judge.R` has them.
% `__jamkey_seen__ (site)` stands before a statement: it keeps the values of the names there.
1;
function __jamkey_seen__ (site)
  global __jamkey_kept__ __jamkey_asks__
  if ! isempty (__jamkey_asks__)
    return;  % what is asked calls the program's own functions
  end
  names = evalin ("caller", "who");
  found = struct ();
  for index = 1:min (numel (names), 200)
    if ! any (strcmp (names{index}, {"ans", "argn", "__jamkey_kept__", "__jamkey_asks__"}))
      found.(names{index}) = evalin ("caller", names{index});
    end
  end
  __jamkey_kept__{site + 1} = found;
end
function [failure, given] = __jamkey_run__ (__jamkey_text__, __jamkey_names__)
  failure = "";
  given = [];
  for __jamkey_cell__ = fieldnames (__jamkey_names__)'
    eval ([__jamkey_cell__{1} " = __jamkey_names__.(__jamkey_cell__{1});"]);
  end
  try
    given = eval (__jamkey_text__);
  catch problem
    failure = ["!" problem.message];
  end
end
function word = __jamkey_word__ (before, value, failure, given)
  if ! isempty (before)
    word = {"passes", "same", "other"}{1 + (! isempty (failure)) * (2 - strcmp (failure, before))};
  elseif ! isempty (failure)
    word = "fails error 0";
  else
    sort = class (given);
    sort = [sort {"", "_one", "_none"}{1 + isscalar(given) + 2 * isempty(given)}];
    same = isequal (class (given), class (value)) && isequal (given, value);
    word = [{"other", "same"}{1 + same} " " sort " 0"];
  end
end
function __jamkey_answer__ ()
  global __jamkey_kept__ __jamkey_asks__
  __jamkey_asks__ = true;
  rows = strsplit (fileread (getenv ("JAMKEY_JUDGE")), "\n");
  out = fopen (getenv ("JAMKEY_JUDGED"), "w");
  latest = time () + 1;
  left = sum (strncmp (rows, "site ", 5));
  site = 0;
  said = {};
  known = false;
  for index = 1:numel (rows)
    row = strrep (rows{index}, char (30), "\n");
    text = row(6:end);
    switch row(1:min (4, end))
      case "secs"
        latest = time () + str2double (text);
      case "site"
        if site > 0
          fprintf (out, "%s\n", strjoin (said, "\t"));
        end
        site = str2double (text) + 1;
        said = {};
        known = numel (__jamkey_kept__) >= site && isstruct (__jamkey_kept__{site});
        share = time () + 3 * (latest - time ()) / max (left, 1);
        left -= 1;
      case "text"
        if known
          [before, value] = __jamkey_run__ (text, __jamkey_kept__{site});
        end
      case "form"
        if known && time () < share
          [failure, given] = __jamkey_run__ (text, __jamkey_kept__{site});
          said{end+1} = __jamkey_word__ (before, value, failure, given);
        else
          said{end+1} = "-";
        end
    end
  end
  if site > 0
    fprintf (out, "%s\n", strjoin (said, "\t"));
  end
  fclose (out);
end
atexit ("__jamkey_answer__");
