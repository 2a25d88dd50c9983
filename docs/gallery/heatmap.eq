#: Heatmaps and labelled contours
bed = fn(x, y) = max(38 * (1 - (x / 1.2)^2 - (y / 0.8)^2) * (1 - 0.3 * exp(-((x + 0.2) / 0.15)^2)), 0)
east = -1.2..1.2 count 121
north = -0.8..0.8 count 81
depth = bed(across(east), down(north))
figure("heatmap", width: 170) {
    title("The bed of Lake Velm")
    heatmap(east, north, depth)
    contours(east, north, depth, levels: 5..35 by 5, color: "white", width: 0.7)
    color_bar("depth (m)")
    x_axis("east (km)")
    y_axis("north (km)")
}
