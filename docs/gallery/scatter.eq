#: Points coloured by value
cast = load("../../examples/lake/soundings.csv")
figure("scatter", width: 170) {
    title("Soundings")
    scatter(cast.east, cast.north, values: cast.depth, size: 5, palette: "lagoon")
    color_bar("depth (m)")
    grid("x y")
}
