#: Histograms: layered, as densities, with the curve that they should follow
seed(11)
figure("histogram") {
    title("Noise of two sensors")
    histogram(random_normal(4000), bins: 60, scale: "density", opacity: 0.5, label: "sensor A")
    histogram(0.7 * random_normal(4000) + 1.5, scale: "density", opacity: 0.5, label: "sensor B")
    line(fn(x) = exp(-x^2 / 2) / sqrt(2*pi), -4..4, color: 1, width: 2, label: `$\frac{1}{\sqrt{2\pi}}\,e^{-x^2/2}$`)
    x_axis(`deviation in units of $\sigma$`)
    legend("top left")
}
