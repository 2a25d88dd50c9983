#: # What noise alone looks like: eigenvalues of a correlation matrix
#: Three hundred sensors that measure nothing but noise seem to be correlated, since 750 readings are few. The
#: eigenvalues of their correlation matrix fill an interval that theory knows; a real signal must stand out of it.

seed(15)
sensors = 300
readings = 750
noise = random_normal(readings, sensors)
print("readings {shape(noise)}")
c = correlation(noise)
print("correlations {shape(c)}, diagonal {min(diagonal(c)):.3f} to {max(diagonal(c)):.3f}")
values = eigenvalues(c)
print("eigenvalues {shape(values)}, from {min(values):.3f} to {max(values):.3f}, sum {sum(values):.1f}")

#: The law of Marchenko and Pastur for the ratio of sensors to readings.
ratio = sensors / readings
low = (1 - sqrt(ratio))^2
high = (1 + sqrt(ratio))^2
fn density(t) = sqrt(clamp(t - low, 0, inf) * clamp(high - t, 0, inf)) / (2 * pi * ratio * t)
print("theory: from {low:.3f} to {high:.3f}")
area = integrate(density, low, high)
print("area under the theory {area.value:.8f}")
expect near(area, 1, relative: 1e-6)

h = histogram_counts(values, bins: 0..3 by 0.1)
expect near(sum(h.density * h.width), 1)
off = max(abs(h.density - each density(h.centers)))
print("largest deviation of the histogram from theory {off:.3f}")
save("spectrum.csv", (center: h.centers, density: h.density))

figure("sensor-noise", width: 200, height: 95, columns: 2) {
    title("Correlations of pure noise")
    panel(1, 1) {
        title("the first 60 sensors")
        image_of(c[1..60, 1..60], palette: "ridge", limits: (-1, 1))
        color_bar("correlation")
        x_axis("sensor")
        y_axis("sensor")
    }
    panel(1, 2) {
        title("eigenvalues of all 300")
        histogram(values, bins: 0..3 by 0.1, scale: "density", color: 1, opacity: 0.5, label: "750 readings")
        line(density, (low, high), color: 2, width: 2, label: `theory $\rho(\lambda)$`)
        x_axis(`eigenvalue $\lambda$`)
        y_axis("density")
        legend("top right")
    }
}
