#: An animated figure: the block runs once for each value of `frame`
x = -4..4 count 60
figure("animation", width: 130, height: 90, frames: 1..24, frame_rate: 6) {
    width = 0.4 + 0.12 * frame
    heatmap(x, x, exp(-((across(x) + 2 - 0.15 * frame)^2 + down(x)^2) / width) / width)
    title("Dye {frame} h after the release")
    x_axis("east (km)")
    y_axis("north (km)")
    color_bar("dye (g/m³)")
}
