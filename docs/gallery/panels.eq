#: Panels in a grid: spans, titles, linked axes
seed(5)
day = 0..30 by 0.25
inflow = 6 + 4 * exp(-((day - 9) / 3)^2) + 0.3 * random_normal(length(day))
outflow = 6.5 + 2.2 * exp(-((day - 12) / 5)^2) + 0.1 * random_normal(length(day))
figure("panels", width: 200, height: 125, rows: 2, columns: 3, link_x: "columns") {
    title("A month at Lake Velm")
    subtitle("water in and out, and how both are spread")
    panel(1, 1, columns: 2) {
        title("inflow")
        area(day, inflow, opacity: 0.25)
        line(day, inflow, color: 1)
        y_axis("inflow (m³/s)")
    }
    panel(2, 1, columns: 2) {
        title("outflow")
        line(day, outflow, color: 3)
        x_axis("day")
        y_axis("outflow (m³/s)")
    }
    panel(1, 3) {
        histogram(inflow, bins: 4..12 by 0.5)
        y_axis("count", limits: (0, 50))
    }
    panel(2, 3) {
        histogram(outflow, bins: 4..12 by 0.5, color: 3)
        x_axis("flow (m³/s)")
        y_axis("count", limits: (0, 50))
    }
}
