#: Makes the files of the Lake Velm survey, a lake that does not exist. Run it with
#: `eager-quill run make_data.eq --out .` in this folder; the seed below is theirs.

seed(20260611)

#: The bed: an elliptic bowl with a shallow shelf in the east and a sill across the middle.
fn bed(x, y) {
    bowl = 1 - ((x - 1180) / 1120)^2 - ((y - 800) / 720)^2
    shelf = 0.35 / (1 + exp(-(x - 1750) / 90))
    sill = 0.22 * exp(-((x - 1020) / 130)^2)
    return max(41 * max(bowl, 0)^0.8 * (1 - shelf) * (1 - sill), 0)
}

section "Soundings"
track = random_whole(0, 2400, 900)
across_track = random_whole(0, 1600, 900)
true_depth = bed(track, across_track)
wet = true_depth > 0.5
east = track[wet][..340]
north = across_track[wet][..340]
depth = true_depth[wet][..340] + 0.15 * random_normal(340)

#: Points along the shore, where the depth is nothing.
angle = 0..2*pi by 2*pi/60
shore_east = round(1180 + 1120 * cos(angle[..60]))
shore_north = round(800 + 720 * sin(angle[..60]))
save("soundings.csv", {
    "east (m)": join(east, shore_east),
    "north (m)": join(north, shore_north),
    "depth (m)": round(100 * join(max(depth, 0.1), zeros(60))) / 100,
})

section "Thermistor chain"
level = [0.5, 2, 4, 6, 8, 9.5, 11, 12.5, 14, 17, 21, 26, 31, 36]
fn profile(z, surface, deep, thermocline, width) = deep + (surface - deep) / (1 + exp((z - thermocline) / width))
fn noisy(t) = round(100 * (t + 0.04 * random_normal(length(t)))) / 100
august = noisy(profile(level, 21.4, 5.1, 10.2, 1.5))
august[9] = nan
save("thermistors.csv", {
    "depth (m)": level,
    "june (°C)": noisy(profile(level, 15.2, 4.9, 7.5, 2.2)),
    "august (°C)": august,
    "october (°C)": noisy(profile(level, 12.1, 5.2, 16.5, 1.8)),
})

section "Inflow and dye"
day = 0..30 by 0.5
inflow = 2.1 + 6.5 * exp(-((day - 8) / 2.2)^2) + 0.9 * exp(-((day - 21) / 3)^2) + 0.08 * random_normal(61)
save("inflow.csv", {"time (d)": day, "inflow (m³/s)": round(1000 * inflow) / 1000})
hours = [0, 6, 12, 24, 36, 48, 72, 96]
dye = 84 * exp(-0.031 * hours) + 0.6 * random_normal(8)
save("dye.csv", {"time (h)": hours, "dye (µg/L)": round(100 * dye) / 100})

section "Gauge"
#: The level every hour of two weeks: it rises with the flood and swings with the wind.
hour = 0..335
gauge = 1.42 + 0.35 / (1 + exp(-(hour - 190) / 14)) - 0.0007 * max(hour - 215, 0) + 0.018 * sin(2 * pi * hour / 24) + 0.006 * random_normal(336)
gauge[120..131] = nan
save("gauge.csv", {"time": timestamp(timestamp_text(timestamp("2026-06-01") + 3600 * hour)), "level (m)": round(1000 * gauge) / 1000})

section "Three stations"
#: Ten days of temperatures, every half hour, at the inlet, over the deepest place and at the outlet: warm pulses of
#: the inflow come later and weaker further on. Two loggers failed for a while.
step = 0..479
start = timestamp("2026-06-01")
fn pulses(hours) = 2.2 * exp(-((hours - 40) / 9)^2) + 3.1 * exp(-((hours - 110) / 12)^2) + 1.7 * exp(-((hours - 175) / 10)^2)
fn daily(hours) = 0.5 * sin(2 * pi * (hours - 9) / 24)
at_inlet = 11.2 + pulses(step / 2) + daily(step / 2) + 0.12 * random_normal(480)
at_deep = 13.4 + 0.6 * pulses(step / 2 - 14) + 0.6 * daily(step / 2) + 0.08 * random_normal(480)
at_outlet = 14.1 + 0.4 * pulses(step / 2 - 26) + 0.7 * daily(step / 2) + 0.10 * random_normal(480)
at_deep[200..223] = nan
at_outlet[[31, 32, 77, 300, 301, 302, 410]] = nan
save("stations.csv", {
    "time": join(start + 1800 * step, start + 1800 * step, start + 1800 * step),
    "station": join(repeat("inlet", 480), repeat("deep", 480), repeat("outlet", 480)),
    "temperature (°C)": round(join(at_inlet, at_deep, at_outlet), digits: 2),
})

section "Thermistor year"
#: The chain at the deepest place, every hour of a year: the lake mixes in spring, is layered in summer, and mixes again
#: late in autumn; near the thermocline the layers swing. One sensor failed for a week in August.
hours = 0..8759
day_of_year = hours / 24
warmth = max(sin(2 * pi * (day_of_year - 95) / 365), 0)
surface = 4.2 + 17.6 * warmth^1.3 + 0.5 * warmth * sin(2 * pi * (hours - 9) / 24)
deep = 4.1 + 1.1 * warmth
thermocline = 5 + 14 * max((day_of_year - 130) / 200, 0)^1.6 + 0.8 * sin(2 * pi * hours / 14.2)
chain = profile(across(level), down(surface), down(deep), down(thermocline), 2)
chain = round(100 * (chain + 0.03 * random_normal(8760, 14))) / 100
chain[5136..5303, 9] = nan
save("chain.nc", (time: timestamp("2026-01-01") + 3600 * hours, depth: level, temperature: float32(chain)),
    compression: 9, unlimited: "time", attributes: (
        title: "Thermistor chain of Lake Velm, 2026",
        depth: (units: "m", positive: "down", long_name: "depth"),
        temperature: (units: "degC", long_name: "water temperature", cell_methods: "time: mean")))
