#: Notes with arrows, and guides
figure("notes") {
    day = 0..30 by 0.25
    inflow = 2.1 + 6.5 * exp(-((day - 8) / 2.2)^2) + 0.9 * exp(-((day - 21) / 3)^2)
    line(day, inflow, width: 2)
    guide(y: 2.1, dash: "dotted")
    guide(x: 8, to: max(inflow))
    note("the flood of June 9", at: (8, max(inflow)), offset: (40, -14), arrow: "curved", box: true)
    note(`$Q_0 = 2.1\,\mathrm{m^3\,s^{-1}}$`, at: (28, 2.1), offset: (0, 8))
    note("rain in the west", at: (21, 3), offset: (-20, 34), arrow: "straight")
    x_axis("day")
    y_axis("inflow (m³/s)")
}
