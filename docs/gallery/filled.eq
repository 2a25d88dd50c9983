#: Filled contours
figure("filled", width: 170) {
    f = fn(x, y) = sin(1.5 * x) * cos(y) + 0.25 * x
    filled_contours(f, -3..3, -2..2, levels: 12, palette: "ridge")
    contours(f, -3..3, -2..2, levels: [0], color: "black", numbers: false)
    color_bar("deviation (K)")
}
