-- SPDX-License-Identifier: 0BSD
--
-- Reads Zemtak atlases, tells where sprites are and how to draw them, and plays clips. Lua 5.1 or later, LuaJIT; no other module.
--
-- Reader version 1, for descriptors of version 1. Add this file to your game, and change it as you like. Your game loads the pictures
-- itself: atlas.pages name the files.
--
--     local zemtak = require "zemtak_reader"
--
--     local atlas = assert(zemtak.read(text))                   -- of night.zemtak.json; nil and why where it cannot be right
--     local moth = atlas.sprites["moth/fly/03"]
--     local quad = moth:quad { x = 120, y = 64, scale_x = 2, scale_y = 2 }
--     -- quad.positions and quad.uvs: x, y and u, v of four corners; quad.indices: six, from 1
--     local texture = textures[moth.page]                       -- pages are counted from 1
--
--     local player = zemtak.player(atlas.clips["moth/fly"])
--     player:advance(16666667)                                  -- nanoseconds
--     for step in player.next, player do play(step.events) end  -- every step that began on the way
--     show(atlas.sprites[player:step().sprite])
--
-- Pixels have their origin at the top left, y down. Corners come in the order top left, top right, bottom right, bottom left of the
-- upright sprite, whether it is stored turned or not. Lists begin at 1; numbers of pixels and places begin at 0.
--
-- A page: file (relative to the descriptor), width, height, pixels, alpha, colour, filter, wrap, mips, safe_mips (nil where it was not
-- measured), hash, layers (by name: file, pixels, alpha, colour). A sprite: name, page, page_size, box (x, y, width, height as stored),
-- turned, canvas (its full size), inset (where the upright box begins on it), pivot (by which it is placed), points, stretch (bands that
-- keep their size: left, top, right, bottom; or nil), tags, user. A clip: name, mode, steps (sprite, a name or atlas:name; events).

local zemtak = { VERSION = 1, null = setmetatable({}, { __tostring = function() return "null" end }) }
local LONGEST_SIDE = 2 ^ 20
local LONGEST = 2 ^ 52 -- nanoseconds that are counted exactly: 52 days
local floor, min, max = math.floor, math.min, math.max

-- Sprites.

local Sprite = {}
Sprite.__index = Sprite

--- Width and height of the upright box.
function Sprite:upright()
    local w, h = self.box[3], self.box[4]
    if self.turned then return h, w end
    return w, h
end

--- The texture coordinates of the corners: u and v of each. `how` may hold flip_x, flip_y, v_up (row 0 of the page is at v = 1) and shrink
--- (moves each edge inwards by this many texels, at most to the centre; 0.5 keeps linear filtering within the box).
function Sprite:uvs(how)
    how = how or {}
    local x, y, w, h = self.box[1], self.box[2], self.box[3], self.box[4]
    local page_w, page_h = self.page_size[1], self.page_size[2]
    local dx, dy = min(how.shrink or 0, w / 2), min(how.shrink or 0, h / 2)
    local top, bottom = y + dy, y + h - dy
    if how.v_up then top, bottom = page_h - top, page_h - bottom end
    local u0, v0, u1, v1 = (x + dx) / page_w, top / page_h, (x + w - dx) / page_w, bottom / page_h
    local corners = { u0, v0, u1, v0, u1, v1, u0, v1 }
    -- The upright top left of a turned sprite is the stored top right, and so on round.
    if self.turned then corners = { u1, v0, u1, v1, u0, v1, u0, v0 } end
    local order = { 1, 2, 3, 4 }
    if how.flip_x then order = { 2, 1, 4, 3 } end
    if how.flip_y then order = { order[4], order[3], order[2], order[1] } end
    local uvs = {}
    for i, from in ipairs(order) do
        uvs[2 * i - 1], uvs[2 * i] = corners[2 * from - 1], corners[2 * from]
    end
    return uvs
end

--- A part of a sprite, in canvas pixels. It keeps the canvas and the pivot, so that it is drawn at its place on the whole. Whatever lies
--- outside the canvas or was trimmed is cut off; nil if nothing is left.
function Sprite:part(x, y, width, height)
    local upright_w, upright_h = self:upright()
    local inset_x, inset_y = self.inset[1], self.inset[2]
    local left, top = max(x, inset_x), max(y, inset_y)
    local right, bottom = min(x + width, inset_x + upright_w), min(y + height, inset_y + upright_h)
    if left >= right or top >= bottom then return nil end
    local part = setmetatable({}, Sprite)
    for key, value in pairs(self) do part[key] = value end
    local i, j, w, h = left - inset_x, top - inset_y, right - left, bottom - top
    -- Pixel (i, j) of the upright box lies at (h - 1 - j, i) of a turned one.
    part.box = { self.box[1] + i, self.box[2] + j, w, h }
    if self.turned then part.box = { self.box[1] + upright_h - j - h, self.box[2] + i, h, w } end
    part.inset = { left, top }
    return part
end

--- Exact for quarter turns.
local function sin_cos(degrees)
    local turn = math.fmod(degrees, 360)
    local around = turn < 0 and turn + 360 or turn
    local exact = { [0] = { 0, 1 }, [90] = { 1, 0 }, [180] = { 0, -1 }, [270] = { -1, 0 } }
    if exact[around] then return exact[around][1], exact[around][2] end
    return math.sin(math.rad(turn)), math.cos(math.rad(turn))
end

local function draw_over(sprite, edges, pivot_x, pivot_y, at)
    local sin, cos = sin_cos(at.degrees or 0)
    local scale_x, scale_y = at.scale_x or 1, at.scale_y or 1
    local positions = {}
    for i, corner in ipairs { { 1, 2 }, { 3, 2 }, { 3, 4 }, { 1, 4 } } do
        local dx = scale_x * (edges[corner[1]] - pivot_x)
        local dy = (at.y_up and -scale_y or scale_y) * (edges[corner[2]] - pivot_y)
        positions[2 * i - 1], positions[2 * i] = at.x + (cos * dx - sin * dy), at.y + (sin * dx + cos * dy)
    end
    local mirrored = (scale_x < 0) ~= (scale_y < 0)
    return { positions = positions, uvs = sprite:uvs(at), indices = mirrored and { 1, 4, 3, 1, 3, 2 } or { 1, 2, 3, 1, 3, 4 } }
end

--- Two triangles that draw it with its pivot at (at.x, at.y): scaled (at.scale_x, at.scale_y; a negative one mirrors), then turned by
--- at.degrees, clockwise as seen; with at.y_up y goes up on the screen and it rotates counter-clockwise. v_up and shrink as in uvs.
function Sprite:quad(at)
    local w, h = self:upright()
    local left, top = self.inset[1], self.inset[2]
    return draw_over(self, { left, top, left + w, top + h }, self.pivot[1], self.pivot[2], at)
end

-- One side of a stretched sprite: its bands on the canvas, and where they are drawn.
local function bands(length, first, last, to, tiled)
    local both, between = first + last, length - first - last
    local size = both > to and to / both or 1 -- Bands that do not fit side by side shrink in proportion.
    local side = { source = { 0, first, length - last, length }, to = { 0, first * size, to - last * size, to }, copies = 1 }
    if tiled and between > 0 then
        side.copies = min(max(floor((side.to[3] - side.to[2]) / between + 0.5), 1), 1024)
    end
    return side
end

local function pieces(side)
    local all = {}
    for band = 1, 3 do
        local start, length = side.source[band], side.source[band + 1] - side.source[band]
        local from, size = side.to[band], side.to[band + 1] - side.to[band]
        local copies = band == 2 and side.copies or 1
        for n = 0, copies - 1 do
            local piece = { start = start, length = length, from = from + size * n / copies, to = from + size * (n + 1) / copies }
            if length > 0 and piece.to > piece.from then all[#all + 1] = piece end
        end
    end
    return all
end

local function place(side, at)
    local band = at < side.source[2] and 1 or at > side.source[3] and 3 or 2
    local past, length = at - side.source[band], side.source[band + 1] - side.source[band]
    if length == 0 then return side.to[band] + past end
    return side.to[band] + past * (side.to[band + 1] - side.to[band]) / length
end

--- Quads that draw it `width` by `height` canvas pixels in size: the bands of `stretch` keep their size, and the middle is stretched, or
--- repeated if `tiled`. Without bands, all of it is the middle.
function Sprite:stretched(width, height, at, tiled)
    local keep = self.stretch or { 0, 0, 0, 0 }
    local columns = bands(self.canvas[1], keep[1], keep[3], width, tiled)
    local rows = bands(self.canvas[2], keep[2], keep[4], height, tiled)
    local pivot_x, pivot_y, quads = place(columns, self.pivot[1]), place(rows, self.pivot[2]), {}
    local function drawn(piece, where) return piece.from + (piece.to - piece.from) * (where - piece.start) / piece.length end
    for _, row in ipairs(pieces(rows)) do
        for _, column in ipairs(pieces(columns)) do
            local part = self:part(column.start, row.start, column.length, row.length)
            if part then
                local x, y, w, h = part.inset[1], part.inset[2], part:upright()
                local edges = { drawn(column, x), drawn(row, y), drawn(column, x + w), drawn(row, y + h) }
                quads[#quads + 1] = draw_over(part, edges, pivot_x, pivot_y, at)
            end
        end
    end
    return quads
end

-- Clips. A time is whole nanoseconds and parts of one, so that frames at any rate are exact.

local Clip = {}
Clip.__index = Clip

local function before(a_ns, a_rest, b_ns, b_rest) return a_ns < b_ns or (a_ns == b_ns and a_rest < b_rest) end

local function within(nanoseconds) return max(-LONGEST, min(LONGEST, floor(nanoseconds + 0.5))) end

function Clip:sum(a_ns, a_rest, b_ns, b_rest)
    local ns, rest = a_ns + b_ns, a_rest + b_rest
    if rest >= self.parts then return ns + 1, rest - self.parts end
    if rest < 0 then return ns - 1, rest + self.parts end
    return ns, rest
end

function Clip:less(a_ns, a_rest, b_ns, b_rest) return self:sum(a_ns, a_rest, -b_ns, -b_rest) end

--- The step of a turn: there and back.
function Clip:step_of(turn)
    return self.steps[turn <= #self.steps and turn or 2 * #self.steps - turn]
end

function Clip:turn_at(ns, rest)
    local low, high = 1, self.turns + 1
    while high - low > 1 do
        local middle = floor((low + high) / 2)
        if before(ns, rest, self.starts[middle], self.rests[middle]) then high = middle else low = middle end
    end
    return low
end

--- A time in the first period, and how many periods lie before it. Uses only sums and halves, so it is exact.
function Clip:fold(ns, rest)
    local below, length, length_rest = ns < 0, self.starts[self.turns + 1], self.rests[self.turns + 1]
    local over = not self.still and not before(ns, rest, length, length_rest)
    if self.mode == "once" or self.still then
        if over then return length, length_rest, 1 end
        if not below then return ns, rest, 0 end
        if self.mode == "once" then return 0, 0, 0 end
        return self.starts[self.turns], self.rests[self.turns], -1
    end
    if not below and not over then return ns, rest, 0 end
    if below then ns, rest = self:less(0, 0, ns, rest) end
    local by, by_rest, times, played = length, length_rest, 1, 0
    while by <= LONGEST / 2 do
        local twice, twice_rest = self:sum(by, by_rest, by, by_rest)
        if before(ns, rest, twice, twice_rest) then break end
        by, by_rest, times = twice, twice_rest, times * 2
    end
    while times >= 1 do
        if not before(ns, rest, by, by_rest) then
            ns, rest = self:less(ns, rest, by, by_rest)
            played = played + times
        end
        by, by_rest, times = floor(by / 2), floor((by_rest + by % 2 * self.parts) / 2), floor(times / 2)
    end
    if below and (ns > 0 or rest > 0) then
        ns, rest = self:less(length, length_rest, ns, rest)
        played = played + 1
    end
    return ns, rest, below and -played or played
end

--- What is shown at a time in nanoseconds: the step, how often the clip has played through, whether one that plays once is over. Below 0
--- it counts back from the end of a period; a clip that plays once shows its first step then.
function Clip:at(nanoseconds)
    local ns, rest, played = self:fold(within(nanoseconds), 0)
    return self:step_of(self:turn_at(ns, rest)), played, self.mode == "once" and played > 0
end

local Player = {}
Player.__index = Player

--- Plays a clip. It starts at the position `nanoseconds`: start each of a crowd elsewhere, and they do not move in step. `played`
--- counts how often it has played through.
function zemtak.player(clip, nanoseconds)
    local player = setmetatable({ clip = clip, played = 0, entered = 0 }, Player)
    player.ns, player.rest = clip:fold(within(nanoseconds or 0), 0)
    player.turn = clip:turn_at(player.ns, player.rest)
    return player
end

--- Advances by whole nanoseconds; a negative number plays backwards.
function Player:advance(nanoseconds)
    local clip, periods = self.clip, nil
    self.told = self.turn
    self.ns, self.rest, periods = clip:fold(self.ns + within(nanoseconds), self.rest)
    self.turn = clip:turn_at(self.ns, self.rest)
    self.entered = (clip.mode == "once" and 0 or periods * clip.turns) + self.turn - self.told
    self.played = clip.mode == "once" and periods or self.played + periods
end

--- The next step that began during the last advance, in order; nil when there are no more.
function Player:next()
    if self.entered == 0 then return nil end
    local by = self.entered > 0 and 1 or -1
    self.entered = self.entered - by
    self.told = (self.told - 1 + by) % self.clip.turns + 1
    return self.clip:step_of(self.told)
end

--- The step to show now.
function Player:step() return self.clip:step_of(self.turn) end

--- Whether a clip that plays once is over.
function Player:ended() return self.clip.mode == "once" and self.played > 0 end

-- JSON as tables, strings, numbers, booleans and zemtak.null. Metatables tell objects from lists.

local Object, List = {}, {}
local QUOTE, COMMA, MINUS, POINT, ZERO, NINE, COLON = ('",-.09:'):byte(1, -1)
local LIST, CLOSE_LIST, OBJECT, CLOSE_OBJECT = ("[]{}"):byte(1, -1)

-- An error in the descriptor. Its place is put together on its way out, by `within`: most places are never told.
local function fail(place, why) error({ place = place, why = why }, 0) end

local function within(key, item, read, ...)
    local right, result = pcall(read, ...)
    if right then return result end
    if type(result) == "table" and result.place then
        if item then key = (type(item) == "number" and "%s[%d]" or "%s[%q]"):format(key, item) end
        result.place = key .. (result.place:find("^[^%[]") and "." or "") .. result.place
    end
    error(result, 0)
end

local function utf8_of(code)
    if code < 0x80 then return string.char(code) end
    local tail = ""
    local first, limit = 0xC0, 0x20
    while true do
        tail = string.char(0x80 + code % 64) .. tail
        code = floor(code / 64)
        if code < limit then return string.char(first + code) .. tail end
        first, limit = first + limit, limit / 2
    end
end

local ESCAPES = { ['"'] = '"', ["\\"] = "\\", ["/"] = "/", b = "\b", f = "\f", n = "\n", r = "\r", t = "\t" }

local function json(text)
    local at, find_in, byte, sub = 1, string.find, string.byte, string.sub

    local function wrong(why)
        local before_it, line, start = text:sub(1, at - 1), 1, 0
        for newline in before_it:gmatch("()\n") do line, start = line + 1, newline end
        fail(("line %d, column %d"):format(line, at - start), why)
    end

    -- The byte that comes next, after spaces; nil at the end.
    local function peek()
        at = find_in(text, "[^ \n\r\t]", at) or #text + 1
        return byte(text, at)
    end

    local function texts()
        local made
        at = at + 1
        while true do
            local stop = find_in(text, '["\\%c]', at)
            if not stop then wrong("an unterminated string") end
            local c, piece = sub(text, stop, stop), sub(text, at, stop - 1)
            at = stop + 1
            if c == '"' and not made then return piece end
            made = made or {}
            made[#made + 1] = piece
            if c == '"' then return table.concat(made) end
            if c == "\127" then made[#made + 1] = c
            elseif c ~= "\\" then wrong("an unterminated string")
            else
                local escape, hex = text:sub(at, at), text:match("^u(%x%x%x%x)", at)
                local code = hex and tonumber(hex, 16)
                local low = code and code >= 0xD800 and code < 0xDC00 and tonumber(text:match("^\\u(%x%x%x%x)", at + 5) or "", 16)
                if ESCAPES[escape] then made[#made + 1], at = ESCAPES[escape], at + 1
                elseif low and low >= 0xDC00 and low < 0xE000 then
                    made[#made + 1], at = utf8_of(0x10000 + (code - 0xD800) * 1024 + low - 0xDC00), at + 11
                elseif code and (code < 0xD800 or code >= 0xE000) then made[#made + 1], at = utf8_of(code), at + 5
                else wrong("an unknown escape sequence") end
            end
        end
    end

    local function number(first)
        local _, stop = find_in(text, "^-?%d+%.?%d*", at)
        if not stop or (first == MINUS or first == ZERO) and find_in(text, "^-?0%d", at) then wrong("a value is expected") end
        if byte(text, stop) == POINT then stop = stop - 1 end
        local _, exponent = find_in(text, "^[eE][+-]?%d+", stop + 1)
        stop = exponent or stop
        local value = tonumber(sub(text, at, stop))
        if not value or value - value ~= 0 then wrong("a number that is not finite") end
        at = stop + 1
        return value
    end

    local value

    local function several(keys, depth)
        local made, close, first, count = setmetatable({}, keys and Object or List), keys and CLOSE_OBJECT or CLOSE_LIST, true, 0
        at = at + 1
        while peek() ~= close do
            if not first then
                if byte(text, at) ~= COMMA then wrong("a comma or the end of a list or an object is expected") end
                at = at + 1
                if peek() == close then wrong("a value is expected") end
            end
            first = false
            if keys then
                if byte(text, at) ~= QUOTE then wrong("a key is expected") end
                local key = texts()
                if peek() ~= COLON then wrong("a colon is expected") end
                at = at + 1
                made[key] = value(depth + 1)
            else
                count = count + 1
                made[count] = value(depth + 1)
            end
        end
        at = at + 1
        return made
    end

    function value(depth)
        if depth > 100 then wrong("lists and objects are nested too deeply") end
        local first = peek()
        if first == OBJECT or first == LIST then return several(first == OBJECT, depth) end
        if first == QUOTE then return texts() end
        local word = first and first > NINE and text:match("^%l+", at)
        if word == "true" or word == "false" or word == "null" then
            at = at + #word
            if word == "null" then return zemtak.null end
            return word == "true"
        end
        return number(first)
    end

    local whole = value(0)
    if peek() then wrong("unexpected text after the descriptor") end
    return whole
end

-- Values, with their keys for messages.

local function object(value, key)
    if getmetatable(value) ~= Object then fail(key, "should be an object") end
    return value
end

local function list(value, key)
    if getmetatable(value) ~= List then fail(key, "should be a list") end
    return value
end

local function find(of, key)
    local value = object(of, "")[key]
    if value ~= zemtak.null then return value end
end

local function get(of, key, kind)
    local value = find(of, key)
    if value == nil then fail("", "has no " .. key) end
    if kind and type(value) ~= kind then fail(key, "should be a " .. kind) end
    return value
end

local function whole(value, key, least, most)
    if type(value) ~= "number" or value ~= floor(value) or value < least or value > (most or LONGEST_SIDE) then
        fail(key, ("should be a whole number from %d to %d"):format(least, most or LONGEST_SIDE))
    end
    return value
end

-- A list of this many numbers: whole and not negative, unless any are allowed.
local function numbers(value, key, count, any)
    if #list(value, key) ~= count then fail(key, ("should have %d numbers"):format(count)) end
    for i = 1, count do
        if not any then whole(value[i], key, 0) elseif type(value[i]) ~= "number" then fail(key, "should be numbers") end
    end
    return value
end

local function strings(value, key)
    for _, item in ipairs(value and list(value, key) or {}) do
        if type(item) ~= "string" then fail(key, "should be a list of strings") end
    end
    return value or {}
end

local function named(value, key, read, ...)
    local made = {}
    for name, entry in pairs(value and object(value, key) or {}) do made[name] = within(key, name, read, entry, name, ...) end
    return made
end

local function read_layer(value)
    local file = get(value, "file", "string")
    local plain = not file:find("[\\:%z]")
    for part in (file .. "/"):gmatch("(.-)/") do plain = plain and part ~= "" and part ~= "." and part ~= ".." end
    if not plain then fail("file", "is not a relative path below the descriptor's folder") end
    local function text(key) return get(value, key, "string") end
    return { file = file, pixels = text "pixels", alpha = text "alpha", colour = text "colour" }
end

local function read_sampling(value, page)
    local safe = find(value, "safe_mips")
    page.filter, page.wrap = get(value, "filter", "string"), get(value, "wrap", "string")
    page.mips, page.safe_mips = whole(get(value, "mips"), "mips", 1, 32), safe and whole(safe, "safe_mips", -1)
end

local function read_page(value)
    local page = read_layer(value)
    page.width, page.height = whole(get(value, "width"), "width", 1), whole(get(value, "height"), "height", 1)
    page.hash = get(value, "hash", "string")
    within("sampling", nil, read_sampling, get(value, "sampling"), page)
    page.layers = named(find(value, "layers"), "layers", read_layer)
    return page
end

local function read_point(value) return numbers(value, "", 2, true) end

local function read_sprite(value, name, pages)
    local sprite = setmetatable({ name = name, turned = get(value, "turned", "boolean") }, Sprite)
    sprite.page = whole(get(value, "page"), "page", 0) + 1
    local page = pages[sprite.page]
    if not page then fail("page", ("is beyond the %d pages that there are"):format(#pages)) end
    sprite.page_size = { page.width, page.height }
    sprite.box, sprite.canvas = numbers(get(value, "box"), "box", 4), numbers(get(value, "canvas"), "canvas", 2)
    sprite.inset, sprite.pivot = numbers(get(value, "inset"), "inset", 2), numbers(get(value, "pivot"), "pivot", 2, true)
    local x, y, w, h = sprite.box[1], sprite.box[2], sprite.box[3], sprite.box[4]
    if w < 1 or h < 1 or x + w > page.width or y + h > page.height then
        fail("box", ("does not lie on its page of %d x %d pixels"):format(page.width, page.height))
    end
    local upright_w, upright_h = sprite:upright()
    if sprite.inset[1] + upright_w > sprite.canvas[1] or sprite.inset[2] + upright_h > sprite.canvas[2] then
        fail("inset", "puts the box beyond the canvas")
    end
    local keep = find(value, "stretch")
    sprite.stretch = keep and numbers(keep, "stretch", 4)
    if keep and (keep[1] + keep[3] > sprite.canvas[1] or keep[2] + keep[4] > sprite.canvas[2]) then
        fail("stretch", "has bands wider than the canvas")
    end
    sprite.points, sprite.user = named(find(value, "points"), "points", read_point), find(value, "user")
    sprite.tags = strings(find(value, "tags"), "tags")
    return sprite
end

-- A rate as written in the descriptor: a number of up to nine digits, or a ratio such as "60000/1001".
local function read_rate(value)
    local above, below = -1, 1
    if type(value) == "string" then
        local a, b = value:match("^(%d+)/(%d+)$")
        if a and #a <= 10 and #b <= 10 then above, below = tonumber(a), tonumber(b) end
    elseif type(value) == "number" then
        -- The shortest decimal that reads back as this number.
        while below <= 1e9 and floor(value * below + 0.5) / below ~= value do below = below * 10 end
        if below <= 1e9 then above = floor(value * below + 0.5) end
    end
    if above < 0 or above >= 2 ^ 31 or below < 1 or below >= 2 ^ 32 then
        fail("fps", "is neither a number of up to nine digits nor a ratio such as 60000/1001")
    end
    local a, b = above, below
    while b ~= 0 do a, b = b, a % b end
    return floor(above / a), floor(below / a)
end

-- When each turn begins, and when the last one ends. `own` are durations in nanoseconds, false where a step has none.
local function lay_out(clip, own, above, below)
    -- A frame takes below * 10^9 / above nanoseconds: in steps of a thousand, each product a whole number below 2^53.
    local parts, steps = max(above, 1), #clip.steps
    local frame, frame_rest = floor(below / parts), below % parts
    for _ = 1, 3 do
        frame, frame_rest = frame * 1000 + floor(frame_rest * 1000 / parts), frame_rest * 1000 % parts
    end
    clip.parts, clip.starts, clip.rests, clip.still, clip.turns = parts, { 0 }, { 0 }, false, 0
    local turns = clip.mode == "bounce" and steps > 2 and 2 * steps - 2 or steps
    while clip.turns < turns and not clip.still do
        local turn = clip.turns + 1
        local ns = own[turn <= steps and turn or 2 * steps - turn]
        local length, rest = ns or frame, ns and 0 or frame_rest
        clip.still = not ns and above == 0
        if clip.still then length, rest = 0, 0 end
        clip.starts[turn + 1], clip.rests[turn + 1] = clip:sum(clip.starts[turn], clip.rests[turn], length, rest)
        clip.turns = turn
    end
end

-- Its duration in nanoseconds is `own`, false if it has none.
local function read_step(value, sprites, timed)
    local sprite, ms = get(value, "sprite", "string"), find(value, "ms")
    if not sprites[sprite] and not sprite:find(":", 1, true) then fail("sprite", "is not a sprite of this atlas") end
    if not ms and not timed then fail("", "has no ms, and its clip has no fps") end
    if ms and not (type(ms) == "number" and ms >= 0 and ms <= 1e12) then fail("ms", "is not a duration") end
    local ns = ms and ms * 1e6
    local own = ns and floor(ns) + (ns - floor(ns) >= 0.5 and 1 or 0) or false
    return { own = own, step = { sprite = sprite, events = strings(find(value, "events"), "events") } }
end

local function read_clip(value, name, sprites)
    local clip = setmetatable({ name = name, mode = get(value, "mode", "string"), steps = {} }, Clip)
    if clip.mode ~= "loop" and clip.mode ~= "once" and clip.mode ~= "bounce" then fail("mode", "is neither loop, once nor bounce") end
    local fps, own = find(value, "fps"), {}
    for i, step in ipairs(list(get(value, "steps"), "steps")) do
        local read = within("steps", i - 1, read_step, step, sprites, fps)
        own[i], clip.steps[i] = read.own, read.step
    end
    if #clip.steps == 0 then fail("steps", "is empty") end
    local above, below = 10, 1
    if fps then above, below = read_rate(fps) end
    lay_out(clip, own, above, below)
    local length, rest = clip.starts[clip.turns + 1], clip.rests[clip.turns + 1]
    if not clip.still and length == 0 and rest == 0 then fail("steps", "take no time, all together") end
    if length > LONGEST then fail("steps", "take more than 52 days, all together") end
    return clip
end

local function read(text)
    local top = json(text)
    local version, needs = whole(get(top, "zemtak"), "zemtak", 0), strings(get(top, "needs"), "needs")
    if version ~= zemtak.VERSION then fail("zemtak", ("is version %d, this reader reads version %d"):format(version, zemtak.VERSION)) end
    if #needs > 0 then fail("needs", "asks for " .. table.concat(needs, ", ") .. ", which this reader does not know") end
    local atlas = { name = get(top, "name", "string"), scale = get(top, "scale", "number"), pages = {} }
    for _, key in ipairs { "build_id", "base" } do atlas[key] = find(top, key) and get(top, key, "string") end
    for i, page in ipairs(list(get(top, "pages"), "pages")) do atlas.pages[i] = within("pages", i - 1, read_page, page) end
    atlas.sprites = named(get(top, "sprites"), "sprites", read_sprite, atlas.pages)
    atlas.clips = named(get(top, "clips"), "clips", read_clip, atlas.sprites)
    return atlas
end

--- Reads a descriptor's text. Returns nil and a message that says what is wrong and where, if it is not a valid descriptor.
function zemtak.read(text)
    local right, result = pcall(read, text)
    if right then return result end
    if type(result) == "table" and result.place then return nil, (result.place == "" and "the descriptor" or result.place) .. ": " .. result.why end
    error(result, 0)
end

return zemtak
