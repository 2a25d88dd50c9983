#: Cyclic palettes: directions
figure("compass", width: 170) {
    title("Where the wind comes from")
    x = -2..2 count 200
    y = -1.2..1.2 count 120
    heatmap(x, y, atan2(down(y), across(x)) * 180 / pi, palette: "compass", limits: (-180, 180))
    color_bar("direction (°)", ticks: -180..180 by 90)
}
