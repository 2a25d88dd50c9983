#: A matrix as an image, with a palette around zero
seed(8)
readings = random_normal(200, 24)
readings[.., 7..12] += 0.9 * random_normal(200)[.., new]
readings[.., 18..21] -= 0.8 * readings[.., 3..3]
figure("image", width: 120, height: 100) {
    title("Which sensors move together")
    image_of(correlation(readings), palette: "tide")
    color_bar("correlation")
    x_axis("sensor")
    y_axis("sensor")
}
