#: Stems: a spectrum
seed(4)
t = 0..63
level = 0.4 * sin(2*pi*5*t/64) + 0.2 * cos(2*pi*12*t/64) + 0.05 * random_normal(64)
figure("stems", height: 80) {
    title("Spectrum of the gauge")
    stems(0..32, abs(fft(level)[1..33]) / 32, color: 3)
    x_axis("oscillations in the record")
    y_axis("amplitude (m)")
}
