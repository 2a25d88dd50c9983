#: Panels placed by fractions of the figure: one within another
x = 0..10 count 2000
y = exp(-x / 4) * sin(4 * x) + 0.04 * sin(60 * x)
figure("inset") {
    title("A seiche dies away")
    line(x, y, width: 1)
    x_axis("time (h)")
    y_axis("level (cm)", limits: (-1, 2.4))
    panel(x: 0.5, y: 0.58, width: 0.48, height: 0.4) {
        close_up = x >= 6 and x <= 7
        line(x[close_up], y[close_up], color: 4, width: 1)
        title("one hour")
    }
}
