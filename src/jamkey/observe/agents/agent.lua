-- Runs inside the user's Lua process, before the script, through LUA_INIT. When an error reaches the top it looks at the
-- frames with the debug library. What the program prints and its exit status stay those of the plain interpreter.
local wire = os.getenv("JAMKEY_WIRE")
if not wire or type(debug) ~= "table" then return end
local getinfo, getlocal, getupvalue, traceback = debug.getinfo, debug.getlocal, debug.getupvalue, debug.traceback
local open, tostring, type, next, pairs, ipairs, format, concat = io.open, tostring, type, next, pairs, ipairs, string.format, table.concat
local exit, stderr, xpcall, loadfile, length = os.exit, io.stderr, xpcall, loadfile, rawlen
local unpack = table.unpack or unpack
local FRAMES, NAMES, TEXT, MEMBERS = 30, 60, 200, 20
local OWN = getinfo(1, "S").source
local SECRETS = { "passw", "passphrase", "secret", "token", "api_?key", "credential", "private_?key" }

local function quoted(text)
  return '"' .. text:gsub('[%c"\\]', function(c) return format("\\u%04x", c:byte()) end) .. '"'
end

local function short(text)
  return #text > TEXT and text:sub(1, TEXT) .. "..." or text
end

local function plain(value)
  local sort = type(value)
  if sort == "string" then return '"' .. short(value) .. '"' end
  if sort == "table" or sort == "userdata" or sort == "function" or sort == "thread" then return sort end
  return tostring(value)
end

local function described(name, value)
  local text, extra, lower = plain(value), "", name:lower()
  if type(value) == "table" then
    local parts, members, count = {}, {}, 0
    for key, item in next, value do
      count = count + 1
      if count > MEMBERS then parts[#parts + 1] = "..." break end
      parts[#parts + 1] = (type(key) == "string" and key .. " = " or "") .. plain(item)
      if type(key) == "string" then members[#members + 1] = quoted(key) end
    end
    text = short("{" .. concat(parts, ", ") .. "}")
    extra = ',"length":' .. (length and length(value) or #value) .. (#members > 0 and ',"members":[' .. concat(members, ",") .. "]" or "")
  elseif type(value) == "string" then
    extra = ',"length":' .. #value
  end
  for _, secret in ipairs(SECRETS) do
    if lower:find(secret) then text, extra = "(hidden)", "" end
  end
  return '{"name":' .. quoted(name) .. ',"type":' .. quoted(type(value)) .. ',"text":' .. quoted(text) .. extra .. "}"
end

local function frame(level)
  local info = getinfo(level + 1, "nSlf")
  if not info or info.source == OWN then return nil end
  local values, seen = {}, {}
  local function add(name, value)
    if name and not name:find("^%(") and type(value) ~= "function" and #values < NAMES then
      if seen[name] then values[seen[name]] = described(name, value) -- the inner one of that name
      else values[#values + 1] = described(name, value); seen[name] = #values end
    end
  end
  if info.what ~= "C" then
    for index = 1, 250 do
      local name, value = getlocal(level + 1, index)
      if not name then break end
      add(name, value)
    end
    for index = 1, 60 do
      local name, value = getupvalue(info.func, index)
      if not name then break end
      if name ~= "_ENV" and not seen[name] then add(name, value) end
    end
  end
  local file = info.source:sub(1, 1) == "@" and info.source:sub(2) or "<script>"
  if info.what == "C" then file = "<native>" end
  return '{"file":' .. quoted(file) .. ',"line":' .. (info.currentline > 0 and info.currentline or "null") .. ',"function":'
    .. quoted(info.what == "main" and "" or info.name or "") .. ',"values":[' .. concat(values, ",") .. "]}"
end

local function write(message, level)
  local frames = {}
  for up = level, level + FRAMES do
    local found = frame(up)
    if not found then break end
    frames[#frames + 1] = found
  end
  local outward = {}
  for index = #frames, 1, -1 do outward[#outward + 1] = frames[index] end
  local handle = open(wire, "a")
  if not handle then return end
  handle:write('{"generation":1,"pid":0,"version":', quoted((_VERSION:gsub("^Lua ", ""))), ',"implementation":"lua","exception":{"type":"","message":',
    quoted(tostring(message)), ',"frames":[', concat(outward, ","), "]}}\n")
  handle:close()
end

if _VERSION == "Lua 5.1" then
  -- it asks debug.traceback, found by its name, for the text of an error nobody caught
  debug.traceback = function(...)
    local message, level = ...
    local caller = getinfo(2, "S")
    if select("#", ...) == 2 and type(level) == "number" and caller and caller.what == "C" then
      pcall(write, message, 5)
      local text = traceback(message, level + 1)
      return text
    end
    return traceback(...)
  end
  return
end
if not arg then
  -- 5.2 sets it only after this: the system knows the words
  local handle = open("/proc/self/cmdline", "rb")
  if not handle then return end
  local words = {}
  for word in handle:read("*a"):gmatch("([^%z]*)%z") do words[#words + 1] = word end
  handle:close()
  if not words[2] or words[2]:sub(1, 1) == "-" then return end
  arg = {}
  for index, word in ipairs(words) do arg[index - 2] = word end
end

local script = arg[0]
local name = arg[-1]
for index = -1, -20, -1 do
  if arg[index] == nil then break end
  name = arg[index]
end
if not script or script == name or script == "-" or (arg[-1] ~= nil and arg[-1] ~= name) then return end -- options: left to the interpreter
local chunk = loadfile(script)
if not chunk then return end -- a mistake in the grammar: the interpreter tells it
local function handler(message)
  if type(message) ~= "string" and type(message) ~= "number" then
    local shown = getmetatable(message)
    if type(shown) == "table" and shown.__tostring then message = tostring(message)
    else message = format("(error object is a %s value)", type(message)) end
  end
  pcall(write, message, 4)
  local text = traceback(message, 2)
  -- the frames below the script's own are ours
  local at = text:find("\n\t%[C%]: in function 'xpcall'", 1)
  return (at and text:sub(1, at - 1) or text) .. "\n\t[C]: in ?"
end
local ran, message = xpcall(chunk, handler, unpack(arg))
if not ran then
  io.stdout:flush()
  stderr:write(name, ": ", message, "\n")
  stderr:flush()
end
exit(ran, true)
