#: # Several panels, linked
#: One large panel beside small ones, different kinds in one figure, and the same scale where the same is shown.

seed(20)
day = 0..30 by 0.25
inflow = 6 + 4 * exp(-((day - 9) / 3)^2) + 0.3 * random_normal(length(day))
months = ["may", "june", "july", "august"]
catch = [12, 30 | 25, 41 | 38, 36 | 20, 18]

figure("survey-panels", width: 210, height: 140, rows: 2, columns: 3, theme: "quill") {
    title("A month at Lake Velm")
    subtitle("inflow, its spread, the plankton nets and the dye")
    panel(1, 1, columns: 2) {
        title("inflow")
        area(day, inflow, color: 1, opacity: 0.25)
        line(day, inflow, color: 1, width: 1)
        line(day, moving_mean(inflow, 17), color: 2, width: 2, label: "mean of four days")
        y_axis("inflow (m³/s)", limits: (0, 12))
        x_axis("day")
        legend("top right")
    }
    panel(1, 3) {
        title("its spread")
        histogram(inflow, bins: 4..12 by 0.5, color: 1)
        x_axis("inflow (m³/s)")
    }
    panel(2, 1) {
        title("plankton nets")
        bars(months, catch, label: ["shallow", "deep"])
        y_axis("catch", limits: (0, 60))
        legend("top left")
    }
    panel(2, 2) {
        title("dye, with its uncertainty")
        hour = 1..8
        dye = 9 * exp(-0.3 * hour)
        error_bars(hour, dye, 0.12 * dye + 0.1, color: 4)
        line(fn(t) = 9 * exp(-0.3 * t), 0.5..8.5, color: 4, dash: "dashed")
        x_axis("hour")
        y_axis("dye (µg/l)", scale: "log")
    }
    panel(2, 3) {
        title("drift of the buoys")
        g = 0..4
        arrows(g, g, 0.4 - 0.3 * down(g) + 0 * across(g), 0.3 * across(g) - 0.5 + 0 * down(g), color: 3)
        x_axis("$x$ (km)")
        y_axis("$y$ (km)")
    }
}
