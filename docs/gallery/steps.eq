#: Steps: values that hold
figure("steps", height: 80) {
    hour = 0..12
    gate = [0, 0, 2, 2, 5, 8, 8, 6, 6, 3, 1, 1, 0]
    steps(hour, gate, hold: "after", label: "gate opening")
    scatter(hour, gate, color: 1, marker: "ring", size: 6)
    area(hour, 0.6 * gate + 0.5, color: 3, label: "outflow")
    x_axis("hour")
    y_axis("opening (cm), outflow (m³/s)")
    legend("top right")
}
