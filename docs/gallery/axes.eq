#: Axes: through a value, with formulas, boxes, sizes, hidden edges
figure("axes", width: 190, height: 85, columns: 2) {
    panel(1, 1) {
        line(fn(x) = sin(x) / 2, -2*pi..2*pi, width: 2)
        x_axis("", at: 0, ticks: [-2*pi, -pi, pi, 2*pi], tick_labels: [`$-2\pi$`, `$-\pi$`, `$\pi$`, `$2\pi$`], label_box: true, size: 9)
        y_axis("", at: 0, ticks: [-0.5, 0.5], tick_labels: [`$-\frac{1}{2}$`, `$\frac{1}{2}$`], size: 9)
        grid("none")
        frame("none")
    }
    panel(1, 2) {
        z = 0..36 by 4
        scatter(6 + 14 / (1 + exp((z - 10) / 2)), z, marker: "square", size: 6)
        y_axis("depth (m)", reverse: true, minor: true)
        x_axis("temperature (°C)", format: ".1f", minor: true)
        frame("all")
        grid("x y")
    }
}
