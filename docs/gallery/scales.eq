#: Scales: logarithmic, and logarithmic on both sides of zero
figure("scales", width: 190, height: 85, columns: 2) {
    panel(1, 1) {
        f = 10^(-2..3 count 200)
        line(f, 1 / (1 + (f / 3)^2), label: "response")
        x_axis("frequency (1/d)", scale: "log")
        y_axis("power", scale: "log")
        grid("x y")
    }
    panel(1, 2) {
        x = -5..5 count 300
        line(x, x^5, color: 2)
        y_axis("$x^5$", scale: "signed_log")
        x_axis("$x$")
        grid("x y")
    }
}
