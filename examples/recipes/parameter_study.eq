#: # Study the influence of parameters
#: A flood raises the level of Lake Velm; the outlet lowers it. How high does the level rise, for floods of different size and
#: outlets of different width? Every combination is one row of a table.
given area = 1.9 "area of the lake (km²)"

#: The inflow rises and falls within a day; the outflow grows with the level to the power 1.5.
fn highest(flood, width) {
    inflow = fn(t) = flood * t / 43200 * exp(1 - t / 43200)
    level = evolve(fn(t, h) = (inflow(t) - 1.7 * width * max(h, 0)^1.5) / (area * 1e6), 0, over: 0..432000 by 3600, relative: 1e-8)
    k = argmax(level.y)
    return level.y[k], level.t[k] / 3600
}

section "All combinations"
floods = [5, 10, 20, 40]
widths = 2..10 by 2
study = list()
for flood in floods {
    for width in widths {
        level, hour = highest(flood, width)
        study = append(study, (flood: flood, width: width, level: level, hour: hour))
    }
}
study = table(study)
show(study, rows: 8)
save("study.csv", study)

section "The result in one figure"
#: Above half a metre the harbour is flooded: which outlet is wide enough?
needed = [min(join(study.width[study.flood == f and study.level < 0.5], [inf])) for f in floods]
for flood, width in zip(floods, needed) {
    print("flood of {flood} m³/s: {if is_finite(width) then "{width} m" else "none of the widths"}")
}
figure("parameter-study", width: 130, height: 85) {
    for width in widths {
        part = rows(study, study.width == width)
        line(part.flood, part.level, marker: "disc", label: "{width} m")
    }
    guide(y: 0.5, dash: "dashed")
    x_axis("flood (m³/s)", scale: "log", ticks: floods, tick_labels: [text(f) for f in floods])
    y_axis("highest level (m)")
    legend("top left")
}
