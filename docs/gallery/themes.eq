#: The five themes
seed(3)
t = 0..12
true_level = fn(t) = 3 + 1.5 * sin(t / 2) - 0.1 * t
for name in ["quill", "field", "night", "print", "slides"] {
    figure("theme-{name}", width: 150, height: 85, theme: name) {
        title("Theme {name}")
        band(t, true_level(t) - 0.4, true_level(t) + 0.4, color: 1)
        line(true_level, 0..12, label: "model")
        line(t, true_level(t) - 0.8 * exp(-t / 4), label: "forecast")
        line(t, 0.4 * t, label: "trend")
        scatter(t, true_level(t) + 0.25 * random_normal(13), marker: "ring", size: 6, label: "gauge")
        note("turn", at: (7.6, 1.35), offset: (16, 18), arrow: "curved")
        x_axis("time (h)")
        y_axis("level (m)", limits: (0, 6))
        legend("best")
    }
}
