#: Curves, points and wires in space
figure("space", width: 200, height: 90, columns: 2) {
    panel(1, 1) {
        t = 0..8*pi count 600
        line(t * cos(t) / 25, t * sin(t) / 25, t / 8, color: 4, width: 2)
        scatter(cos(0..11), sin(0..11), 0..3 count 12, size: 6, label: "buoys")
        z_axis("depth (m)", reverse: true)
        x_axis("east (km)")
        y_axis("north (km)")
    }
    panel(1, 2) {
        wireframe(fn(x, y) = exp(-(x^2 + y^2) / 2), -3..3, -3..3, color: 3)
        camera(turn: 40, tilt: 30)
    }
}
