-- Answers a list of questions with the reader for Lua.

local zemtak = require "zemtak_reader"

local function whole(path)
    local file = assert(io.open(path, "rb"))
    local text = file:read("*a")
    file:close()
    return text
end

local function tell(all, out)
    out = out or {}
    for _, v in ipairs(all) do out[#out + 1] = ("%.17g"):format(v) end
    return out
end

local function tell_quad(quad)
    local out = tell(quad.uvs, tell(quad.positions))
    for _, index in ipairs(quad.indices) do out[#out + 1] = ("%d"):format(index - 1) end
    return table.concat(out, " ")
end

local function placement(v, at)
    return { x = v[at], y = v[at + 1], scale_x = v[at + 2], scale_y = v[at + 3], degrees = v[at + 4], y_up = v[at + 5] ~= 0,
        v_up = v[at + 6] ~= 0, shrink = v[at + 7] }
end

local function sorted(map)
    local names = {}
    for name in pairs(map) do names[#names + 1] = name end
    table.sort(names)
    return ipairs(names)
end

local function tell_page(p)
    local parts = { table.concat({ p.file, p.width, p.height, p.pixels, p.alpha, p.colour, p.filter, p.wrap, p.mips, p.safe_mips or "none", p.hash }, " ") }
    for _, name in sorted(p.layers) do
        local layer = p.layers[name]
        parts[#parts + 1] = table.concat({ name, layer.file, layer.pixels, layer.alpha, layer.colour }, " ")
    end
    return table.concat(parts, "\t")
end

local function tell_sprite(s)
    local out = tell({ s.page - 1 })
    tell(s.box, out)
    out[#out + 1] = s.turned and "1" or "0"
    for _, list in ipairs { s.canvas, s.inset, s.pivot, s.stretch or { 0, 0, 0, 0 } } do tell(list, out) end
    local parts = { table.concat(out, " ") }
    for _, name in sorted(s.points) do parts[#parts + 1] = ("%s=%.17g,%.17g"):format(name, s.points[name][1], s.points[name][2]) end
    for _, tag in ipairs(s.tags) do parts[#parts + 1] = "#" .. tag end
    return table.concat(parts, "\t")
end

local function flag(truth) return truth and 1 or 0 end

local function tell_clip(clip, kind, v)
    local out = {}
    if kind == "clip" then
        out[1] = tostring(({ loop = 0, once = 1, bounce = 2 })[clip.mode])
        for _, step in ipairs(clip.steps) do out[#out + 1] = table.concat({ step.sprite, (unpack or table.unpack)(step.events) }, "!") end
        return table.concat(out, "\t")
    end
    if kind == "at" then
        local step, played, ended = clip:at(v[1])
        for i, own in ipairs(clip.steps) do
            if own == step then return ("%d %.0f %d"):format(i - 1, played, flag(ended)) end
        end
    end
    local player = zemtak.player(clip, v[1])
    for i = 2, #v do
        player:advance(v[i])
        for step in player.next, player do out[#out + 1] = step.sprite .. ";" end
        out[#out + 1] = ("|%s %.0f %d\t"):format(player:step().sprite, player.played, flag(player:ended()))
    end
    return table.concat(out)
end

local function answer(atlas, kind, name, numbers)
    local v = {}
    for number in numbers:gmatch("%S+") do v[#v + 1] = tonumber(number) end
    if kind == "clip" or kind == "at" or kind == "play" then return tell_clip(atlas.clips[name], kind, v) end
    if kind == "atlas" then return table.concat({ atlas.name, atlas.build_id or "none", atlas.base or "none", atlas.scale }, " ") end
    if kind == "page" then return tell_page(atlas.pages[v[1] + 1]) end
    local sprite = atlas.sprites[name]
    if kind == "sprite" then return tell_sprite(sprite) end
    if kind == "uv" then
        return table.concat(tell(sprite:uvs { flip_x = v[1] ~= 0, flip_y = v[2] ~= 0, v_up = v[3] ~= 0, shrink = v[4] }), " ")
    end
    if kind == "part" then
        local part = sprite:part(v[1], v[2], v[3], v[4])
        return part and tell_quad(part:quad { x = 5, y = 7 }) or "none"
    end
    if kind == "quad" then return tell_quad(sprite:quad(placement(v, 1))) end
    local out = {}
    for i, quad in ipairs(sprite:stretched(v[1], v[2], placement(v, 4), v[3] ~= 0)) do out[i] = tell_quad(quad) .. "\t" end
    return table.concat(out)
end

if arg[1] == "--check" then
    for i = 2, #arg do
        local atlas, why = zemtak.read(whole(arg[i]))
        print(atlas and "ok" or (why:gsub("\n", " ")))
    end
else
    local atlas = assert(zemtak.read(whole(arg[1])))
    for kind, name, numbers in whole(arg[2]):gmatch("([^\t\n]*)\t([^\t\n]*)\t([^\n]*)\n") do print(answer(atlas, kind, name, numbers)) end
end
