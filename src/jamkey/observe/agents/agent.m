% Runs inside the user's Octave process, before the script, as its site initialisation file. At the end, if an error
% ended the script, it writes the error's stack and the values of the script's own workspace.
1;
function shown = __jamkey_quoted__ (text)
  text = strrep (strrep (text, '\', '\\'), '"', '\"');
  text(text < 32) = " ";
  shown = ['"' text '"'];
end
function shown = __jamkey_plain__ (value)
  shown = class (value);
  if ischar (value) && rows (value) <= 1
    shown = ['"' value '"'];
  elseif (isnumeric (value) || islogical (value)) && numel (value) <= 12
    shown = mat2str (value, 6);
  elseif isnumeric (value) || islogical (value)
    shown = [mat2str(value(1:6)(:)', 6) " ..."];
  elseif isstruct (value)
    shown = ["struct with " strjoin(fieldnames (value)', ", ")];
  elseif iscell (value)
    shown = sprintf ("cell %dx%d", rows (value), columns (value));
  end
  if numel (shown) > 200
    shown = [shown(1:200) "..."];
  end
end
function shown = __jamkey_value__ (name, value)
  text = __jamkey_plain__ (value);
  if ! isempty (regexpi (name, 'pass(word|wd|phrase)|secret|token|api_?key|credential|private_?key', "once"))
    text = "(hidden)";
  end
  shown = sprintf ('{"name":%s,"type":"%s","text":%s,"length":%d,"shape":[%d,%d]', __jamkey_quoted__ (name), class (value), __jamkey_quoted__ (text), numel (value), size (value)(1:2));
  if isstruct (value)
    shown = [shown ',"members":["' strjoin(fieldnames (value)', '","') '"]'];
  end
  shown = [shown "}"];
end
function __jamkey_where__ ()
  % asked at the debugger's prompt: where the script stands, innermost first
  stack = dbstack (1);
  frames = {};
  for index = 1:min (numel (stack), 40)
    frames{end+1} = sprintf ('{"file":%s,"line":%d,"column":%d,"function":%s}', __jamkey_quoted__ (stack(index).file), stack(index).line, max (stack(index).column, 1), __jamkey_quoted__ (stack(index).name));
  end
  file = fopen (getenv ("JAMKEY_WIRE"), "a");
  fprintf (file, "[%s]\n", strjoin (frames, ","));
  fclose (file);
end
function __jamkey_look__ ()
  % asked at the debugger's prompt, for the frame it stands in
  values = {};
  names = evalin ("caller", "who");
  for index = 1:min (numel (names), 60)
    if ! any (strcmp (names{index}, {"ans", "argn"}))
      values{end+1} = __jamkey_value__ (names{index}, evalin ("caller", names{index}));
    end
  end
  file = fopen (getenv ("JAMKEY_WIRE"), "a");
  fprintf (file, "[%s]\n", strjoin (values, ","));
  fclose (file);
end
function __jamkey_end__ ()
  wire = getenv ("JAMKEY_WIRE");
  if ! isempty (getenv ("JAMKEY_LOOK"))
    return;
  end
  unsetenv ("JAMKEY_WIRE");
  err = lasterror ();
  if isempty (wire) || isempty (err.message)
    return;
  end
  values = {};
  names = evalin ("base", "who");
  for index = 1:min (numel (names), 60)
    if ! any (strcmp (names{index}, {"ans", "argn"}))
      values{end+1} = __jamkey_value__ (names{index}, evalin ("base", names{index}));
    end
  end
  values = strjoin (values, ",");
  stack = err.stack;
  frames = {};
  for index = numel (stack):-1:1
    inside = "";
    if index == numel (stack)
      inside = values;
    end
    frames{end+1} = sprintf ('{"file":%s,"line":%d,"column":%d,"function":%s,"values":[%s]}', __jamkey_quoted__ (stack(index).file), stack(index).line, max (stack(index).column, 1), __jamkey_quoted__ (stack(index).name), inside);
  end
  if isempty (frames)
    frames = {sprintf('{"file":"<script>","line":null,"function":"","values":[%s]}', values)};
  end
  file = fopen (wire, "a");
  fprintf (file, '{"generation":1,"pid":%d,"version":"%s","implementation":"octave","exception":{"type":%s,"message":%s,"frames":[%s]}}', getpid (), version (), __jamkey_quoted__ (err.identifier), __jamkey_quoted__ (err.message), strjoin (frames, ","));
  fprintf (file, "\n");
  fclose (file);
end
if isempty (getenv ("JAMKEY_OCTAVE_SITE_INITFILE"))
  __jamkey_site__ = fullfile (OCTAVE_HOME (), "share", "octave", "site", "m", "startup", "octaverc");
else
  __jamkey_site__ = getenv ("JAMKEY_OCTAVE_SITE_INITFILE");
end
if exist (__jamkey_site__, "file")
  source (__jamkey_site__);
end
clear __jamkey_site__;
atexit ("__jamkey_end__");
