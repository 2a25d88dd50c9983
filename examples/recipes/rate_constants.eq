#: # Fit the rate constants of a differential equation
#: A tracer A decays to B, and B to C. Readings of B at fourteen times give both rate constants, with their uncertainties.
seed(7)
t = [0.5, 1, 2, 3, 4, 5, 6, 8, 10, 12, 14, 17, 20, 24]
fn reaction(k) = fn(time, c) = [-k[1] * c[1], k[1] * c[1] - k[2] * c[2]]

#: The readings: the solution for known constants, with noise of 0.1 µg/L.
truth = [0.4, 0.12]
exact = evolve(reaction(truth), [10, 0], over: join([0], t)).y[2.., 2]
b = exact + 0.1 * random_normal(length(t))

#: The model solves the equation up to one time. `confirm: false` omits the error estimate, which a fit does not need.
fn model(time, k) {
    run = evolve(reaction(k), [10, 0], over: (0, time), relative: 1e-8, confirm: false)
    return run.y[last, 2]
}
found = fit(model, t, b, start: [1, 0.05], sigma: 0.1, bounds: ([0, 0], [10, 10]))
found
print("k1 = {found.coefficients[1]:.3f} ± {found.standard_errors[1]:.3f} per day, k2 = {found.coefficients[2]:.4f} ± {found.standard_errors[2]:.4f} per day")

#: The constants are within three standard errors, and the scatter is that of the noise: the sum of squares over the
#: degrees of freedom is near 1.
expect all(abs(found.coefficients - truth) < 3 * found.standard_errors)
reduced = sum((found.residual / 0.1)^2) / found.degrees_of_freedom
print("reduced chi-square {reduced:.2f}")
expect reduced > 0.3 and reduced < 2.5

figure("rate-constants", width: 120, height: 80) {
    curve = evolve(reaction(found.coefficients), [10, 0], over: 0..25 by 0.25)
    line(curve.t, curve.y[.., 2], label: "fit")
    error_bars(t, b, 0.1, label: "readings of B")
    x_axis("time (d)")
    y_axis("B (µg/L)")
    legend("top right")
}
