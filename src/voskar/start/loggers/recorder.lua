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
-- logged is written every tenth of a second; `log.flush_every = 1` writes every frame.
--
-- Nothing here raises into the game or keeps it waiting: a recorder that cannot write falls silent, and says why in
-- `problem`; one whose reader is too slow loses frames, and counts them in `lost`.
local Recorder = {}
Recorder.__index = Recorder

local escapes = { ['"'] = '\\"', ["\\"] = "\\\\", ["\n"] = "\\n", ["\r"] = "\\r", ["\t"] = "\\t" }

local function json(value)
  local kind = type(value)
  if kind == "table" then
    local parts = {}
    if #value > 0 or next(value) == nil then
      for _, one in ipairs(value) do parts[#parts + 1] = json(one) end
      return "[" .. table.concat(parts, ",") .. "]"
    end
    local names = {}
    for name in pairs(value) do names[#names + 1] = name end
    table.sort(names)
    for _, name in ipairs(names) do parts[#parts + 1] = json(name) .. ":" .. json(value[name]) end
    return "{" .. table.concat(parts, ",") .. "}"
  elseif kind == "string" then
    return '"' .. value:gsub('[%c"\\]', function(one) return escapes[one] or string.format("\\u%04x", one:byte()) end) .. '"'
  elseif kind == "number" then
    if value % 1 == 0 and value > -1e15 and value < 1e15 then return string.format("%d", value) end
    return string.format("%.17g", value)
  end
  return tostring(value)
end

function Recorder.new(path, header, first)
  local self = setmetatable({ frame = first or 0, buffer = {}, lost = 0, dropped = 0, waiting = "" }, Recorder)
  self.flush_every = math.max(1, math.floor((header and header.rate or 60) / 10))
  local host, port = path:match("^tcp://(.*):(%d+)$")
  if host then
    local found, socket = pcall(require, "socket")
    if found then self.socket, self.problem = socket.connect(host, tonumber(port)) else self.problem = "no LuaSocket" end
    if self.socket then self.socket:settimeout(0) end
  else
    self.file, self.problem = io.open(path, "wb")
  end
  self.buffer[1] = '{"voskar":"recording","version":2,' .. json(header):sub(2)
  self:_begin()
  return self
end

function Recorder:_begin() self.line = { frame = self.frame, poses = {} } end

local function with(entry, more)
  for name, value in pairs(more or {}) do entry[name] = value end
  return entry
end

function Recorder:_add(name, entry)
  self.line[name] = self.line[name] or {}
  table.insert(self.line[name], entry)
end

-- more: facing, angle, scale, clip with tick or cell, vx, vy, owner, cut, hidden, health, lives, immune, stunned,
-- frozen, z, tags = { "airborne" }, counters = { guard = 4 }, boxes = { torso = { x0, y0, x1, y1 } }, push = { dx, dy }
function Recorder:pose(id, kind, x, y, more) self:_add("poses", with({ id = id, kind = kind, x = x, y = y }, more)) end
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
    local ok, text = pcall(json, self.line)
    if ok then self.buffer[#self.buffer + 1] = text else self.problem = text end
  end
  if #self.buffer >= self.flush_every then self:flush() end
  self.frame = self.frame + 1
  self:_begin()
end

function Recorder:flush()
  if self.file and #self.buffer > 0 then
    local ok, problem = self.file:write(table.concat(self.buffer, "\n"), "\n")
    if ok then self.file:flush() else self.problem, self.file = problem, nil end
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
