#: Labels without overlaps, and a second axis
east = [0.4, 0.6, 0.7, 0.75, 1.9, 2.6, 2.7, 3.4]
north = [0.5, 0.55, 0.9, 0.6, 1.4, 1.3, 1.5, 0.4]
hour = 0..48
figure("labels", width: 220, height: 85, columns: 2) {
    panel(1, 1) {
        scatter(east, north, size: 5)
        labels(east, north, ["Inflow", "Mill", "Old pier", "Harbour", "Deep basin", "Islet", "Reeds", "Outlet weir"])
        x_axis("east (km)")
        y_axis("north (km)")
    }
    panel(1, 2) {
        bars(hour[1..last by 3], max(0, 4 * sin(hour[1..last by 3] / 6)), label: "rain", axis: "right", color: 3)
        line(hour, 410 + cumsum(max(0, sin((hour - 6) / 6))) / 20 - hour / 60, label: "level")
        x_axis("time (h)")
        y_axis("level (m)")
        right_axis("rain (mm/h)", limits: (0, 12))
        legend("top left")
    }
}
