#: Residuals below a fit, with rows of different heights, and areas where a condition holds
day = 0..30 count 61
fn model(t) = 410 + 0.6 * exp(-t / 9) * cos(t / 2)
measured = model(day) + 0.03 * random_normal(61)
figure("residuals", height: 110, rows: [3, 1], link_x: "columns") {
    description("The level of Lake Velm swings after a storm and settles within 30 days; the residuals of the fit stay below 0.1 m.")
    panel(1, 1) {
        line(model, 0..30, label: "fit")
        scatter(day, measured, size: 3, label: "gauge")
        area(day, model(day), base: 410.2, where: model(day) > 410.2, label: "above 410.2 m")
        y_axis("level (m)")
        legend()
    }
    panel(2, 1) {
        stems(day, measured - model(day), size: 2.5)
        x_axis("time (d)")
        y_axis("residual (m)")
    }
}
