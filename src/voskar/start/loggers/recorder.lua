-- Logs what happens in a game, frame by frame, for Voskar. Copy this file; it needs nothing but Lua 5.1 or newer.
--
--   local Recorder = require("recorder")
--   local log = Recorder.new("play.jsonl", { rate = 60 })
--   -- in every frame, when all hits have been dealt and before anything that died is removed:
--   log:pose("keeper", "keeper", x, y, { facing = 1, clip = "run", tick = 12, health = 3 })
--   log:claim("hit", { attacker = "hornet-1", target = "keeper", damage = 1 })
--   log:end_frame()
--   log:close()
--
-- A path such as "tcp://127.0.0.1:7777" sends the lines to `voskar live --listen 127.0.0.1:7777`, with LuaSocket. What is
-- logged is written every tenth of a second; `log.flush_every = 1` writes every frame. Numbers have `log.decimals` places,
-- 4 by default. A thing out of a pool needs another id each time: id = log:pool("shot-0") as it is taken out.
-- A file is compressed with a function that makes a whole gzip member of a string, from a library of your choice:
-- Recorder.new("play.jsonl.gz", { rate = 60 }, 0, pack).
--
-- Nothing here raises into the game or keeps it waiting: a recorder that cannot write falls silent, and says why in
-- `problem`; if its reader is too slow, it loses frames, and counts them in `lost`. Numbers that are none and ids that cannot
-- be printed are replaced; the log says so in `problems`.
local Recorder = {}
Recorder.__index = Recorder

local function escaped(letter)
  if letter == '"' or letter == "\\" then return "\\" .. letter end
  return string.format("\\u%04x", letter:byte())
end

local function json(value, decimals, name)
  local kind = type(value)
  if kind == "table" then
    local parts = {}
    if next(value) == nil then return name == "tags" and "[]" or "{}" end
    if #value > 0 then
      for _, item in ipairs(value) do parts[#parts + 1] = json(item, decimals) end
      return "[" .. table.concat(parts, ",") .. "]"
    end
    local names = {}
    for name in pairs(value) do names[#names + 1] = tostring(name) end
    table.sort(names)
    for _, name in ipairs(names) do parts[#parts + 1] = json(name) .. ":" .. json(value[name], decimals, name) end
    return "{" .. table.concat(parts, ",") .. "}"
  elseif kind == "string" then
    return '"' .. value:gsub('[%c"\\]', escaped) .. '"'
  elseif kind == "number" then
    if value % 1 == 0 and value > -1e15 and value < 1e15 then return string.format("%d", value) end
    local text = string.format("%." .. (decimals or 17) .. (decimals and "f" or "g"), value):gsub(",", ".")
    return decimals and text:gsub("0+$", ""):gsub("%.$", "") or text
  end
  return tostring(value)
end

-- the bytes that begin a character of UTF-8 and those that follow, else nothing
local function whole_character(text, at)
  local first = text:byte(at)
  if first < 0x80 then return (first >= 0x20 and first ~= 0x7f) and 1 or nil end
  local length = first >= 0xf0 and first < 0xf5 and 4 or first >= 0xe0 and first < 0xf0 and 3 or first >= 0xc2 and first < 0xe0 and 2
  if not length then return nil end
  for k = 1, length - 1 do
    local next_one = text:byte(at + k)
    if not next_one or next_one < 0x80 or next_one >= 0xc0 then return nil end
  end
  local second = text:byte(at + 1)
  if (first == 0xe0 and second < 0xa0) or (first == 0xed and second >= 0xa0) or (first == 0xf0 and second < 0x90)
    or (first == 0xf4 and second >= 0x90) or (first == 0xc2 and second < 0xa0) then return nil end
  return length
end

local function printable(text)
  if not text:find("[%c\127-\255]") then return text end
  local parts, at = {}, 1
  while at <= #text do
    local length = whole_character(text, at)
    parts[#parts + 1] = length and text:sub(at, at + length - 1) or "?"
    at = at + (length or 1)
  end
  return table.concat(parts)
end

function Recorder.new(path, header, first, pack)
  local self = setmetatable({ frame = first or 0, buffer = {}, lost = 0, dropped = 0, waiting = "", decimals = 4, taken = {}, pack = pack }, Recorder)
  self.flush_every = math.max(1, math.floor((header and header.rate or 60) / 10))
  local host, port = path:match("^tcp://(.*):(%d+)$")
  if host then
    local found, socket = pcall(require, "socket")
    if found then self.socket, self.problem = socket.connect(host, tonumber(port)) else self.problem = "no LuaSocket" end
    if self.socket then self.socket:settimeout(0) end
  else
    self.file, self.problem = io.open(path, "wb")
  end
  local more = json(header or { rate = 60 }):sub(2)
  self.buffer[1] = '{"voskar":"recording","version":2' .. (more == "}" and "" or ",") .. more
  self:_begin()
  self:flush()
  -- Lua 5.2 or newer: what waits is written when the game ends by an error; made last, so it goes before the file does
  self.ending = setmetatable({}, { __gc = function() self:close() end })
  return self
end

function Recorder:_begin() self.line, self.problems = { frame = self.frame }, {} end

-- a value as JSON has it: what cannot be written is replaced, and the log says so
function Recorder:_plain(value, who, name)
  local kind = type(value)
  if kind == "number" and (value ~= value or value == math.huge or value == -math.huge) then
    table.insert(self.problems, printable(tostring(who)) .. ": " .. name .. " was " .. tostring(value))
    return 0
  elseif kind == "string" then
    local clean = printable(value)
    if clean ~= value then
      table.insert(self.problems, (name == "id" and clean or printable(tostring(who))) .. ": " .. name .. " had characters that cannot be printed")
    end
    return clean
  elseif kind == "table" then
    local made = {}
    for key, item in pairs(value) do made[key] = self:_plain(item, who, type(key) == "number" and name or name .. "." .. tostring(key)) end
    return made
  end
  return value
end

local function with(entry, more)
  for name, value in pairs(more or {}) do entry[name] = value end
  return entry
end

function Recorder:_add(name, entry)
  local who, clean = entry.id or entry.event or name, {}
  for field, value in pairs(entry) do clean[field] = self:_plain(value, who, field) end
  self.line[name] = self.line[name] or {}
  table.insert(self.line[name], clean)
end

-- more: facing, angle, scale, clip with tick or cell, vx, vy, owner, cut, hidden, health, lives, immune, stunned,
-- frozen, z, tags = { "airborne" }, counters = { guard = 4 }, boxes = { torso = { x0, y0, x1, y1 } }, push = { dx, dy }
function Recorder:pose(id, kind, x, y, more) self:_add("poses", with({ id = id, kind = kind, x = x, y = y }, more)) end
-- another id at each call: for a thing out of a pool, as it is taken out again
function Recorder:pool(id)
  self.taken[id] = (self.taken[id] or 0) + 1
  return self.taken[id] == 1 and id or id .. "~" .. self.taken[id]
end
-- a button, in every frame that it is held; more: aim = { x, y }
function Recorder:input(id, button, more) self:_add("inputs", with({ id = id, button = button }, more)) end
-- hit, clash (ids = { a, b }), down, respawn, out, removed, spawn, over, won
function Recorder:claim(event, more) self:_add("claims", with({ event = event }, more)) end
-- id with health, percent, icons, lives, score; or clock
function Recorder:display(more) self:_add("display", with({}, more)) end
-- before this frame the "room", or the whole "run", began again
function Recorder:reset(what) self.line.reset = what end

function Recorder:end_frame()
  if #self.waiting > 4e6 then -- the reader is too slow: the game goes on
    self.dropped, self.lost = self.dropped + 1, self.lost + 1
    self:flush()
  else
    if self.dropped > 0 then self.line.dropped, self.dropped = self.dropped, 0 end
    if #self.problems > 0 then self.line.problems = { (table.unpack or unpack)(self.problems, 1, 10) } end
    local ok, text = pcall(json, self.line, self.decimals)
    if ok and not self.line.poses then text = text:sub(1, -2) .. ',"poses":[]}' end
    if ok then self.buffer[#self.buffer + 1] = text else self.problem = text end
  end
  if #self.buffer >= self.flush_every then self:flush() end
  self.frame = self.frame + 1
  self:_begin()
end

function Recorder:flush()
  if self.file and #self.buffer > 0 then
    local text, packs, ok, problem = table.concat(self.buffer, "\n") .. "\n", true, nil, nil
    if self.pack then packs, text = pcall(self.pack, text) end
    if packs then ok, problem = self.file:write(text) else problem = text end
    if ok then self.file:flush() else self.problem, self.file = tostring(problem), nil end
  elseif self.socket then
    if #self.buffer > 0 then self.waiting = self.waiting .. table.concat(self.buffer, "\n") .. "\n" end
    local last, problem, partly = self.socket:send(self.waiting)
    self.waiting = self.waiting:sub((last or partly or 0) + 1)
    if not last and problem ~= "timeout" then self.problem, self.socket, self.waiting = problem, nil, "" end
  end
  self.buffer = {}
end

function Recorder:close()
  if self.socket then self.socket:settimeout(1) end
  self:flush()
  if self.socket then self.socket:close() end
  self.socket = nil
  if self.file then self.file:close() end
  self.file = nil
end

return Recorder
