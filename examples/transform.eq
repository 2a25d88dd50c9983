#: # A short transform and its inverse
#: A sequence is entered, transformed by the matrix of its frequencies, and transformed back.

sequence = ask("sequence", default: [2, 0, 1, 3])
n = length(sequence)
k = 0..n-1

#: Row k, column j of the matrix is exp(-2πi jk/n).
forward = exp(-2i * pi / n * down(k) * across(k))
spectrum = forward *+ sequence
back = adjoint(forward) *+ spectrum / n

print("spectrum {spectrum:.3f}")
print("magnitude {abs(spectrum):.3f}")
print("recovered {real(back):.3f}")

expect near(real(back), sequence, absolute: 1e-12)
expect max(abs(imag(back))) < 1e-12
#: The built-in transform gives the same.
expect near(spectrum, fft(sequence), absolute: 1e-12)
#: The energy is the same on both sides.
expect near(sum(abs(spectrum)^2), n * sum(sequence^2))

figure("transform", width: 140, height: 120, rows: 3) {
    panel(1, 1) {
        stems(k, sequence)
        y_axis("sequence")
    }
    panel(2, 1) {
        stems(k, abs(spectrum))
        y_axis("magnitude")
    }
    panel(3, 1) {
        stems(k, real(back))
        y_axis("recovered")
        x_axis("position")
    }
}
