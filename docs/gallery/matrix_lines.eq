#: A matrix: one line for each column, named at their ends
t = 0..48 count 300
decay = [0.02, 0.05, 0.1, 0.2]
figure("matrix_lines") {
    title("Dye in the four bays")
    line(t, 80 * exp(-down(t) * across(decay)), label: ["north", "west", "south", "inlet"])
    x_axis("time (h)")
    y_axis("dye (µg/L)", limits: (0, 85))
    legend("ends")
}
