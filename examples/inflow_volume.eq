#: # Areas: how much water came in
#: The inflow was read every half day; its integral is the water that came in. A formula for a flood is integrated
#: too, with an estimate of the error, and the flood's peak and end are found.

gauge = load("lake/inflow.csv")
days = gauge.time
flow = gauge.inflow

#: Readings: m³/s over days, so that a day counts 86400 s.
by_trapezoids = integrate_samples(days, flow) * 86400
by_parabolas = integrate_samples(days, flow, rule: "simpson") * 86400
print("water in: {by_trapezoids / 1e6:.3f} million m³ by trapezoids, {by_parabolas / 1e6:.3f} by parabolas")

#: The running integral says when half of it had come.
so_far = cumulative_integral(days, flow) * 86400
half = interpolate(so_far, days, at: so_far[last] / 2)
print("half of it by day {half:.2f}")
expect near(so_far[last], by_trapezoids)

#: A flood by a formula: it rises fast and falls slowly, for ever.
fn flood(t) = 40 * t * exp(-t / 1.5)
volume = integrate(flood, 0, inf)
show(volume)
expect near(volume, 40 * 1.5^2)

peak = minimize(fn(t) = -flood(t), (0, 10))
print("the peak of {-peak.value:.2f} m³/s comes after {peak.at:.3f} days")
expect near(derivative(flood, at: peak.at), 0, absolute: 1e-4)
over = find_root(fn(t) = flood(t) - 1, (2, 40))
print("below 1 m³/s after {over:.3f} days")

figure("inflow", width: 150, height: 110, rows: 2, link_x: "columns") {
    panel(1, 1) {
        line(days, flow)
        y_axis("inflow (m³/s)")
    }
    panel(2, 1) {
        line(days, so_far / 1e6)
        x_axis("time (days)")
        y_axis("so far (million m³)")
    }
}
