-- Says of many edits at once what they would do: expressions are evaluated with the names where they stand, at the end.
--
-- Lua runs it before the script, through LUA_INIT; it answers when the state is closed, after an error too. The environment
-- names two files of ours, what is asked and where the answer goes, as `judge.R` has them. `_jamkey_seen(site)` stands
-- before a statement: it keeps the values of the names that are in reach there.
local asked, answered = os.getenv("JAMKEY_JUDGE"), os.getenv("JAMKEY_JUDGED")
if not asked or not answered or type(debug) ~= "table" then return end
local getinfo, getlocal, getupvalue, sethook = debug.getinfo, debug.getlocal, debug.getupvalue, debug.sethook
local open, pcall, type, next, tostring, error, clock = io.open, pcall, type, next, tostring, error, os.clock
local load, setfenv, setmetatable, concat, globals = loadstring or load, setfenv, setmetatable, table.concat, _G
local MOST, STEPS, KEPT = 200, 1000000, 50
local names, counts, asking = {}, {}, false

function _jamkey_seen(site)
  if asking then return end -- what is asked calls the program's own functions
  local count = (counts[site] or 0) + 1
  counts[site] = count
  if count > KEPT and count % KEPT ~= 0 then return end
  local found, info = {}, getinfo(2, "f")
  for index = 1, MOST do
    local name, value = getupvalue(info.func, index)
    if not name then break end
    if name ~= "_ENV" then found[name] = { value } end
  end
  for index = 1, MOST do
    local name, value = getlocal(2, index)
    if not name then break end
    found[name] = { value }
  end
  names[site] = found
end

local function run(text, found)
  local env = setmetatable({}, { __index = function(_, name)
    if found[name] then return found[name][1] end
    return globals[name]
  end })
  local chunk = setfenv and load("return " .. text, "=form") or not setfenv and load("return " .. text, "=form", "t", env)
  if not chunk then return { failure = "it cannot be read" } end
  if setfenv then setfenv(chunk, env) end
  sethook(function() error("it takes too long", 0) end, "", STEPS)
  local ran, value = pcall(chunk)
  sethook()
  if ran then return { value = value } end
  return { failure = tostring(value) }
end

local function alike(one, other, deep)
  if type(one) ~= "table" or type(other) ~= "table" then return one == other or (one ~= one and other ~= other) end
  if deep > 3 then return false end
  for key, item in next, one do
    if not alike(item, other[key], deep + 1) then return false end
  end
  for key in next, other do
    if one[key] == nil then return false end
  end
  return true
end

local function again(one, other)
  if one.failure or other.failure then return one.failure == other.failure end
  return type(one.value) == "function" and type(other.value) == "function" or alike(one.value, other.value, 0)
end

local function word(before, given)
  if before.failure then
    return not given.failure and "passes" or given.failure == before.failure and "same" or "other"
  end
  if given.failure then return "fails error 0" end
  return (again(before, given) and "same " or "other ") .. type(given.value) .. " 0"
end

local function answer()
  asking = true
  local out = open(answered, "w")
  if not out then return end
  local limit, entry, entries = 1, nil, {}
  for line in io.lines(asked) do
    local kind, text = line:sub(1, 4), line:sub(6):gsub("\30", "\n")
    if kind == "secs" then limit = tonumber(text) end
    if kind == "site" then
      entry = { site = tonumber(text), forms = {} }
      entries[#entries + 1] = entry
    end
    if kind == "text" then entry.text = text end
    if kind == "form" then entry.forms[#entry.forms + 1] = text end
  end
  globals.print = function() end
  local until_ = clock() + limit
  for number, item in next, entries do
    local said, found = {}, names[item.site]
    local before = found and run(item.text, found)
    local share = clock() + 3 * (until_ - clock()) / (#entries - number + 1)
    for place, form in next, item.forms do
      said[place] = found and clock() < share and word(before, run(form, found)) or "-"
    end
    if found and not again(before, run(item.text, found)) then
      for place in next, said do said[place] = "-" end
    end
    out:write(concat(said, "\t"), "\n")
  end
  out:close()
end

local ending = { __gc = function() pcall(answer) end }
if newproxy then
  local proxy = newproxy(true)
  getmetatable(proxy).__gc = ending.__gc
  _jamkey_end = proxy
else
  _jamkey_end = setmetatable({}, ending)
end
