#: # Show the residuals under a fit
#: The level of the lake swings after a storm. A damped oscillation is fitted, and a second, lower panel shows what the fit
#: leaves over: if the residuals have a pattern, the model lacks something.
seed(3)
minute = 0..90 by 1.5
level = 4.2 * exp(-minute / 38) * cos(2 * pi * minute / 12.8 + 0.4) + 0.25 * random_normal(length(minute))

fn swing(t, p) = p[1] * exp(-t / p[2]) * cos(2 * pi * t / p[3] + p[4])
found = fit(swing, minute, level, start: [4, 30, 13, 0])
found
print("period {found.coefficients[3]:.2f} ± {found.standard_errors[3]:.2f} min")
expect near(found.coefficients[3], 12.8, relative: 0.01)

#: The number of sign changes of random residuals is close to half of their number.
changes = sum(sign(found.residual[2..]) != sign(found.residual[..last-1]))
print("{changes} sign changes in {length(minute)} residuals")

figure("residuals-fit", width: 130, height: 105, rows: [3, 1], link_x: "columns") {
    panel(1, 1) {
        at = 0..90 by 0.25
        band = found.band(at)
        band(at, band.lower, band.upper, color: 1, opacity: 0.25, label: "95 % band")
        line(at, found(at), label: "fit")
        scatter(minute, level, marker: "ring", color: 2, label: "readings")
        y_axis("level (cm)")
        legend("top right")
    }
    panel(2, 1) {
        stems(minute, found.residual)
        x_axis("time (min)")
        y_axis("residual (cm)")
    }
}
