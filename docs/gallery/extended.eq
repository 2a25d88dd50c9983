#: A figure extended later
samples = [1.2, 3.1, 2.4, 4.0, 3.3]
figure("extended", height: 80) {
    scatter(samples, marker: "ring", size: 8, label: "samples")
    x_axis("cast")
    y_axis("chlorophyll (µg/L)")
}
extend("extended") {
    line(interpolant(1..5, samples, method: "spline"), 1..5, color: 2, label: "spline")
    legend("bottom right")
}
