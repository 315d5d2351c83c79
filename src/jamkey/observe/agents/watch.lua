-- Watches what a program works with, as `watch.js` does; read by Lua before the program, through LUA_INIT.
local path = os.getenv("JAMKEY_WATCH")
if not path then return end
local clock, open, tostring, tonumber, type, pairs, next, rawget = os.clock, io.open, tostring, tonumber, type, pairs, next, rawget
local getmetatable, setmetatable, sort, concat, exit = getmetatable, setmetatable, table.sort, table.concat, os.exit
local until_ = clock() + (tonumber(os.getenv("JAMKEY_WATCH_SECONDS")) or 20)
local MOST = 20000
local seen, looks, steps, kept, rounds = {}, {}, {}, {}, {}

local function looking(site)
  local count = (looks[site] or 0) + 1
  looks[site] = count
  return count <= MOST and (count % 256 ~= 0 or clock() < until_)
end

local function odd(site, code, example)
  local codes = seen[site] or {}
  seen[site] = codes
  local known = codes[code]
  if known then known[1] = known[1] + 1 else codes[code] = { 1, example } end
end

local function cut(text) return #text > 60 and text:sub(1, 57) .. "..." or text end

local function told(value)
  local sort_ = type(value)
  if sort_ == "string" then return '"' .. cut(value) .. '"' end
  if sort_ == "nil" or sort_ == "number" or sort_ == "boolean" then return tostring(value) end
  return "a " .. sort_
end

local function numeric(value) return type(value) == "string" and value:match("^%s*[+-]?%d+%.?%d*%s*$") ~= nil end
local function is_nan(value) return type(value) == "number" and value ~= value end

local OPERATORS = {
  ["+"] = function(a, b) return a + b end, ["-"] = function(a, b) return a - b end,
  ["*"] = function(a, b) return a * b end, ["/"] = function(a, b) return a / b end,
  ["%"] = function(a, b) return a % b end, ["^"] = function(a, b) return a ^ b end,
  [".."] = function(a, b) return a .. b end,
  ["<"] = function(a, b) return a < b end, [">"] = function(a, b) return a > b end,
  ["<="] = function(a, b) return a <= b end, [">="] = function(a, b) return a >= b end,
  ["=="] = function(a, b) return a == b end, ["~="] = function(a, b) return a ~= b end,
}

local function keys_of(value)
  local names = {}
  for key in next, value do
    if type(key) == "string" and #names < 400 then names[#names + 1] = key end
  end
  sort(names)
  return names
end

local J = {}

function J.op(site, sign, a, b)
  local made = OPERATORS[sign](a, b)
  if not looking(site) then return made end
  local example = told(a) .. " " .. sign .. " " .. told(b) .. " is " .. told(made)
  if sign == ".." then
    if (numeric(a) or type(a) == "number") and (numeric(b) or type(b) == "number") then odd(site, "joined", example) end
  elseif sign == "==" or sign == "~=" then
    if type(a) ~= type(b) and a ~= nil and b ~= nil and (numeric(a) or numeric(b)) and tostring(tonumber(a)) == tostring(tonumber(b)) then
      odd(site, "never-equal", example)
    elseif type(a) == "number" and type(b) == "number" and a ~= b and (a - b) ^ 2 < 1e-18 * (a * a + b * b) then
      odd(site, "nearly-equal", example)
    elseif is_nan(a) or is_nan(b) then
      odd(site, "never-equal", example)
    elseif (a == b) == (sign == "==") then
      odd(site, "equal", "")
    end
  elseif sign:sub(1, 1) == "<" or sign:sub(1, 1) == ">" then
    if numeric(a) and numeric(b) then
      odd(site, (a < b) == (tonumber(a) < tonumber(b)) and "text-compared" or "text-order", example)
    end
  elseif type(made) == "number" and not is_nan(a) and not is_nan(b) then
    if is_nan(made) or (sign == "/" and (made == 1 / 0 or made == -1 / 0) and tonumber(b) == 0) then odd(site, "gaps-spread", example) end
  end
  return made
end

local function ended(went, site)
  if went.last > went.first then
    rounds[site] = rounds[site] or {}
    if #rounds[site] < 1000 then rounds[site][#rounds[site] + 1] = { went.first, went.last, went.length } end
  end
end

local function stepped(site, object, index, made)
  if index == 0 and made == nil and object[1] ~= nil then odd(site, "nothing-used", "place 0 is nil: the first place is 1") end
  local length, went = #object, steps[site]
  if index == 1 then odd(site, "at-first", "") end
  if index == length then odd(site, "at-last", "") end
  if not went then
    steps[site] = { first = index, last = index, length = length }
  elseif index == went.last + 1 and length == went.length then
    went.last = index
  else
    ended(went, site)
    went.first, went.last, went.length = index, index, length
  end
end

function J.get(site, object, key)
  local made = object[key]
  if type(object) ~= "table" or not looking(site) then return made end
  if type(key) == "number" then
    if key == key and key % 1 == 0 then stepped(site, object, key, made) end
  elseif made == nil and type(key) == "string" then
    local names = keys_of(object)
    local holder = getmetatable(object)
    if holder and type(holder.__index) == "table" then
      for _, name in next, keys_of(holder.__index) do names[#names + 1] = name end
    end
    if #names > 0 then odd(site, "not-there", key .. "\31" .. concat(names, "\31")) end
  end
  return made
end

function J.keep(site, value)
  local stack = kept[site] or {}
  kept[site] = stack
  if #stack < 1000 then stack[#stack + 1] = { value } end
  return value
end

local function taken(before)
  local stack = kept[before]
  return stack and table.remove(stack)
end

function J.dropped(site, before, made)
  local value = taken(before)
  if value and looking(site) and type(made) == type(value[1]) and type(made) ~= "table" and made ~= nil and made ~= value[1] then
    odd(site, "dropped", told(value[1]) .. " stays, and " .. told(made) .. " is thrown away")
  end
end

function J.got(site, before, ...)
  local value = taken(before)
  if value and looking(site) and type(value[1]) == "string" and (...) == nil then odd(site, "gaps-made", told(value[1]) .. " gives nil") end
  return ...
end

function J.order(site, value)
  if type(value) == "table" and looking(site) and #value > 1 and #value <= 2000 then
    local asText, asNumbers = {}, {}
    for place = 1, #value do
      if not numeric(value[place]) then return value end
      asText[place], asNumbers[place] = value[place], tonumber(value[place])
    end
    sort(asText)
    sort(asNumbers)
    for place = 1, #value do
      if tonumber(asText[place]) ~= asNumbers[place] then
        odd(site, "text-order", '"' .. cut(concat(asText, '", "')) .. '"')
        break
      end
    end
  end
  return value
end

function J.over(site, value, how)
  if type(value) == "table" and looking(site) then
    if next(value) == nil then
      odd(site, "nothing-left", "an empty table")
    elseif how == "ipairs" then
      local stop, most = 0, 0
      while rawget(value, stop + 1) ~= nil do stop = stop + 1 end
      for key in next, value do
        if type(key) == "number" and key > most then most = key end
      end
      if most > stop then odd(site, "cut-short", "places 1 to " .. stop .. " are gone over, and there is one at " .. most) else odd(site, "went", "") end
    else
      odd(site, "went", "")
    end
  end
  return value
end

function J.cond(site, value)
  if looking(site) then
    if value == 0 then odd(site, "holds-always", "the number 0 counts as true")
    elseif value == "" then odd(site, "holds-always", "an empty text counts as true")
    elseif type(value) == "function" then odd(site, "not-called", "a function")
    elseif value == nil or value == false then odd(site, "failed", "") end
  end
  return value
end

function J.length(site, value)
  if type(value) == "table" and looking(site) then
    local count, whole = 0, true
    for key in next, value do
      if type(key) == "number" and key % 1 == 0 and key > 0 then count = count + 1 elseif type(key) ~= "number" then whole = false end
    end
    if count == 0 and not whole and #value == 0 and next(value) ~= nil then
      odd(site, "not-counted", "# counts places from 1 on, and there are names only: 0")
    elseif count ~= #value then
      odd(site, "not-counted", "# says " .. #value .. ", and " .. count .. " places are filled")
    end
  end
  return value
end

function J.given(site, ...)
  if looking(site) then odd(site, (...) == nil and "gives-nothing" or "gives", "nil") end
  return ...
end

local done = false
local function told_all()
  if done then return end
  done = true
  for site, went in next, steps do
    ended(went, site)
    local first, last, past = true, true, true
    for _, round in next, rounds[site] or {} do
      past = past and round[2] == round[3] + 1
      last = last and round[1] == 1 and round[2] == round[3] - 1
      first = first and round[1] == 2 and round[2] == round[3]
    end
    local one = (rounds[site] or {})[1]
    if one and last then odd(site, "last-left-out", "places 1 to " .. one[2] .. " of " .. one[3] .. " are used, the last is not") end
    if one and first then odd(site, "first-left-out", "places 2 to " .. one[2] .. " of " .. one[3] .. " are used, the first is not") end
    if one and past then odd(site, "past-end", "places " .. one[1] .. " to " .. one[2] .. " are used, and there are " .. one[3]) end
  end
  local out = open(path, "w")
  if not out then return end
  for site, codes in next, seen do
    for code, known in next, codes do
      out:write(site, "\t", code, "\t", known[1], "\t", (known[2]:gsub("[\t\r\n]+", " ")), "\n")
    end
  end
  out:close()
end

-- the state's end closes what is kept in the registry; `os.exit` ends without closing it
__jamkey = J
os.exit = function(...)
  told_all()
  return exit(...)
end
local holder = type(newproxy) == "function" and newproxy(true) or {}
if type(newproxy) == "function" then getmetatable(holder).__gc = told_all else setmetatable(holder, { __gc = told_all }) end
J.holder = holder
