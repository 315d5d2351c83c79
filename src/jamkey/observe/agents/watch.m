% Watches what a program works with, as `watch.js` does; Octave runs it before the program, as its site initialisation file.
1;
function yes = __jamkey_looking__ (site)
  global __jamkey__
  if (numel (__jamkey__.looks) < site)
    __jamkey__.looks(site) = 0;
  end
  __jamkey__.looks(site) += 1;
  yes = __jamkey__.looks(site) <= 2000 && (mod (__jamkey__.looks(site), 64) || time () < __jamkey__.until);
end
function __jamkey_odd__ (site, code, example)
  global __jamkey__
  key = sprintf ("%d\t%s", site, code);
  if (isKey (__jamkey__.seen, key))
    known = __jamkey__.seen(key);
    __jamkey__.seen(key) = {known{1} + 1, known{2}};
  else
    __jamkey__.seen(key) = {1, example};
  end
end
function text = __jamkey_told__ (value)
  if (ischar (value) && rows (value) <= 1)
    text = ["'" value "'"];
  elseif (isnumeric (value) || islogical (value))
    text = mat2str (double (value(1:min (end, 6)))(:)', 8);
    if (isscalar (value))
      text = mat2str (double (value), 8);
    elseif (numel (value) > 6)
      text = [text(1:end-1) " ...]"];
    end
  else
    text = ["a " class(value)];
  end
  if (numel (text) > 60)
    text = [text(1:57) "..."];
  end
end
function text = __jamkey_size__ (value)
  text = sprintf ("%dx%d", rows (value), columns (value));
end
function made = __jamkey_op__ (site, sign, a, b)
  switch (sign)
    case "+"
      made = a + b;
    case "-"
      made = a - b;
    case "*"
      made = a * b;
    case "/"
      made = a / b;
    case ".*"
      made = a .* b;
    case "./"
      made = a ./ b;
    case "<"
      made = a < b;
    case ">"
      made = a > b;
    case "<="
      made = a <= b;
    case ">="
      made = a >= b;
    case "=="
      made = a == b;
    otherwise
      made = a != b;
  end
  if (! __jamkey_looking__ (site) || ! (isnumeric (a) || ischar (a) || islogical (a)) || ! (isnumeric (b) || ischar (b) || islogical (b)))
    return;
  end
  example = [__jamkey_told__(a) " " sign " " __jamkey_told__(b) " is " __jamkey_told__(made)];
  if (any (strcmp (sign, {"+", "-", "*", "/", ".*", "./"})))
    if (ischar (a) != ischar (b) && (isnumeric (a) || isnumeric (b)))
      __jamkey_odd__ (site, "text-counted", example);
    elseif (isvector (a) && isvector (b) && ! isscalar (a) && ! isscalar (b) && ! isvector (made))
      __jamkey_odd__ (site, "spread-out", [__jamkey_size__(a) " " sign " " __jamkey_size__(b) " is " __jamkey_size__(made)]);
    elseif (strcmp (sign, "/") && ! isscalar (a) && isscalar (made) && isequal (size (a), size (b)))
      __jamkey_odd__ (site, "spread-out", [__jamkey_size__(a) " / " __jamkey_size__(b) " is one number"]);
    end
    if (isinteger (made))
      whole = double (made(:));
      exact = whole;
      if (isscalar (a) || isscalar (b) || isequal (size (a), size (b)))
        switch (sign)
          case "+"
            exact = double (a) + double (b);
          case "-"
            exact = double (a) - double (b);
          case {"*", ".*"}
            exact = double (a) .* double (b);
          otherwise
            exact = double (a) ./ double (b);
        end
      end
      exact = exact(:);
      if (any (exact > double (intmax (class (made))) | exact < double (intmin (class (made)))))
        __jamkey_odd__ (site, "wrapped-round", example);
      elseif (any (abs (exact - whole) > 1e-9))
        __jamkey_odd__ (site, "fraction-lost", example);
      end
    elseif (isfloat (made) && ! any (isnan (double (a(:)))) && ! any (isnan (double (b(:)))) && all (isfinite (double (a(:)))))
      if (any (isnan (made(:))) || (any (strcmp (sign, {"/", "./"})) && any (isinf (made(:)))))
        __jamkey_odd__ (site, "gaps-spread", example);
      end
    end
  elseif (strcmp (sign, "==") || strcmp (sign, "!=") || strcmp (sign, "~="))
    if (isfloat (a) && isfloat (b) && isscalar (a) && isscalar (b) && a != b && abs (a - b) < 1e-9 * max (abs ([a b])))
      __jamkey_odd__ (site, "nearly-equal", example);
    elseif ((isscalar (a) && isnumeric (a) && isnan (a)) || (isscalar (b) && isnumeric (b) && isnan (b)))
      __jamkey_odd__ (site, "never-equal", example);
    elseif (any (made(:)) == strcmp (sign, "=="))
      __jamkey_odd__ (site, "equal", "");
    end
  end
end
function value = __jamkey_at__ (site, value, varargin)
  global __jamkey__
  object = value;
  value = object(varargin{:});
  index = varargin{1};
  if (numel (varargin) > 1 || ! isscalar (index) || ! isnumeric (index) || ! __jamkey_looking__ (site))
    return;
  end
  count = numel (object);
  if (index == 1)
    __jamkey_odd__ (site, "at-first", "");
  end
  if (index == count)
    __jamkey_odd__ (site, "at-last", "");
  end
  if (numel (__jamkey__.steps) < site || isempty (__jamkey__.steps{site}))
    __jamkey__.steps{site} = struct ("first", index, "last", index, "count", count, "rounds", []);
    return;
  end
  went = __jamkey__.steps{site};
  if (index == went.last + 1 && count == went.count)
    went.last = index;
  else
    went = __jamkey_ended__ (went);
    went.first = index;
    went.last = index;
    went.count = count;
  end
  __jamkey__.steps{site} = went;
end
function went = __jamkey_ended__ (went)
  if (went.last > went.first && rows (went.rounds) < 1000)
    went.rounds(end + 1, :) = [went.first, went.last, went.count];
  end
end
function value = __jamkey_over__ (site, value)
  if (__jamkey_looking__ (site))
    if (isempty (value))
      __jamkey_odd__ (site, "nothing-left", ["it is " __jamkey_size__(value)]);
    elseif (rows (value) > 1 && columns (value) == 1 && ! isstruct (value))
      __jamkey_odd__ (site, "whole-column", sprintf ("%d values come at once, in one round", rows (value)));
    else
      __jamkey_odd__ (site, "went", "");
    end
  end
end
function value = __jamkey_cond__ (site, value)
  if (__jamkey_looking__ (site) && (isnumeric (value) || islogical (value)) && ! isscalar (value) && ! isempty (value) && ! ischar (value))
    if (any (value(:)) && ! all (value(:)))
      __jamkey_odd__ (site, "not-all", [__jamkey_told__(value) " counts as false: not all of it holds"]);
    end
  end
end
function value = __jamkey_keep__ (site, value)
  global __jamkey__
  __jamkey__.kept{site} = value;
end
function made = __jamkey_got__ (site, before, made)
  global __jamkey__
  value = [];
  if (numel (__jamkey__.kept) >= before)
    value = __jamkey__.kept{before};
  end
  if (__jamkey_looking__ (site) && (ischar (value) || iscellstr (value)) && ! isempty (value) && (isempty (made) || any (isnan (double (made(:))))))
    if (iscellstr (value))
      value = value{find (isnan (double (made(:))), 1)};
    end
    __jamkey_odd__ (site, "gaps-made", [__jamkey_told__(value) " gives " __jamkey_told__(made)]);
  end
end
function value = __jamkey_order__ (site, value)
  if (__jamkey_looking__ (site) && iscellstr (value) && numel (value) > 1)
    numbers = str2double (value);
    if (! any (isnan (numbers)))
      [~, as_text] = sort (value(:));
      if (any (diff (numbers(:)(as_text)) < 0))
        __jamkey_odd__ (site, "text-order", strjoin (value(as_text)(1:min (end, 6)), ", "));
      end
    end
  end
end
function __jamkey_tell__ ()
  global __jamkey__
  for site = 1:numel (__jamkey__.steps)
    if (isempty (__jamkey__.steps{site}))
      continue;
    end
    rounds = __jamkey_ended__ (__jamkey__.steps{site}).rounds;
    if (isempty (rounds))
      continue;
    end
    if (all (rounds(:, 1) == 1 & rounds(:, 2) == rounds(:, 3) - 1))
      __jamkey_odd__ (site, "last-left-out", sprintf ("places 1 to %d of %d are used, the last is not", rounds(1, 2), rounds(1, 3)));
    elseif (all (rounds(:, 1) == 2 & rounds(:, 2) == rounds(:, 3)))
      __jamkey_odd__ (site, "first-left-out", sprintf ("places 2 to %d of %d are used, the first is not", rounds(1, 2), rounds(1, 3)));
    end
  end
  out = fopen (getenv ("JAMKEY_WATCH"), "w");
  for key = keys (__jamkey__.seen)
    known = __jamkey__.seen(key{1});
    fprintf (out, "%s\t%d\t%s\n", key{1}, known{1}, regexprep (known{2}, "[\t\r\n]+", " "));
  end
  fclose (out);
end
global __jamkey__
__jamkey__ = struct ("looks", [], "until", time () + 20, "seen", containers.Map (), "steps", {{}}, "kept", {{}});
clear __jamkey__
atexit ("__jamkey_tell__");
