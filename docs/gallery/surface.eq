#: Surfaces: shaded, coloured by height, with an optional mesh
figure("surface", width: 200, height: 90, columns: 2) {
    panel(1, 1) {
        # a seiche along the basin and across it
        x = 0..6 count 61
        y = 0..3 count 41
        surface(x, y, cos(pi * across(x) / 6) * (1 + 0.4 * cos(2 * pi * down(y) / 3)))
        camera(turn: 30, tilt: 30)
        z_axis("height (cm)")
        color_bar("height (cm)")
    }
    panel(1, 2) {
        x = -3..3 count 31
        surface(x, x, exp(-across(x)^2 / 3) * cos(down(x)), palette: "kiln", mesh: true)
        camera(turn: -50, tilt: 40)
    }
}
