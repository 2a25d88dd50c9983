#: # How high does a flood raise the lake?
#: The inflow rises and falls within a day; the outflow over the outlet grows with the level to the power 1.5.
#: A case of a parameter study: `eager-quill sweep flood_level.eq --vary "flood=[5, 10, 20, 40]" --vary "width=2..10 by 2"`

given flood = 20 "largest inflow (m³/s)"
given width = 4 "width of the outlet (m)"
given area = 1.9 "area of the lake (km²)"

inflow = fn(t) = flood * t / 43200 * exp(1 - t / 43200)
outflow = fn(h) = 1.7 * width * max(h, 0)^1.5
level = evolve(fn(t, h) = (inflow(t) - outflow(h)) / (area * 1e6), 0, over: 0..432000 by 3600, relative: 1e-8)

top = argmax(level.y)
highest = level.y[top]
hour = level.t[top] / 3600
print("highest level {highest:.2f} m after {hour:.0f} h")

figure("flood_level") {
    line(level.t / 3600, level.y, label: "level (m)")
    line(level.t / 3600, inflow(level.t) / flood, label: "inflow / largest", dash: "dashed")
    x_axis("time (h)")
    y_axis("level, inflow")
    legend("top right")
}
