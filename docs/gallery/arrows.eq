#: Arrows: a current, over its speed
x = -2..2 by 0.25
y = -1.25..1.25 by 0.25
u = -down(y) * exp(-across(x)^2 / 4)
v = across(x) * exp(-down(y)^2) * 0.6
figure("arrows", width: 170) {
    title("Currents after a storm")
    heatmap(x, y, hypot(u, v), palette: "slate", opacity: 0.55)
    arrows(x, y, u, v, color: 1)
    color_bar("speed (cm/s)")
    x_axis("east (km)")
    y_axis("north (km)")
}
