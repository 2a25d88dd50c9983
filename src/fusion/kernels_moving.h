// Gathering and scattering of blocks; part of kernels_impl.h.

void climbing(double first, double by, Index from, double* to, Index n) {
  QUILL_ELEMENTWISE
  for (Index i = 0; i < n; ++i) to[i] = first + static_cast<double>(from + i) * by;
}

void weighted(double first, double last, double m, Index from, double* to, Index n) {
  QUILL_ELEMENTWISE
  for (Index i = 0; i < n; ++i) {
    const auto k = static_cast<double>(from + i);
    to[i] = (first * (m - k) + last * k) / m;
  }
}

struct TwoNumbers {
  double numbers[2];
};

template <class T>
void gather_of(const void* from, Index step, void* to, Index n) {
  const T* x = static_cast<const T*>(from);
  T* out = static_cast<T*>(to);
  if (step == 2)
    QUILL_ELEMENTWISE for (Index i = 0; i < n; ++i) out[i] = x[2 * i];
  else if (step == -1)
    for (Index i = 0; i < n; ++i) out[i] = x[-i];
  else if (step == 0)
    for (Index i = 0; i < n; ++i) out[i] = *x;
  else
    for (Index i = 0; i < n; ++i) out[i] = x[i * step];
}

void gather(const void* from, Index step, void* to, Index n, std::size_t size) {
  if (step == 1)
    std::memcpy(to, from, static_cast<std::size_t>(n) * size);
  else if (size == sizeof(std::uint64_t))
    gather_of<std::uint64_t>(from, step, to, n);
  else if (size == sizeof(std::uint32_t))
    gather_of<std::uint32_t>(from, step, to, n);
  else if (size == sizeof(TwoNumbers))
    gather_of<TwoNumbers>(from, step, to, n);
  else
    gather_of<std::uint8_t>(from, step, to, n);
}

template <class T>
void scatter_of(const void* from, void* to, Index step, Index n) {
  const T* x = static_cast<const T*>(from);
  T* out = static_cast<T*>(to);
  if (step == 2)
    QUILL_ELEMENTWISE for (Index i = 0; i < n; ++i) out[2 * i] = x[i];
  else
    for (Index i = 0; i < n; ++i) out[i * step] = x[i];
}

void scatter(const void* from, void* to, Index step, Index n, std::size_t size) {
  if (step == 1)
    std::memcpy(to, from, static_cast<std::size_t>(n) * size);
  else if (size == sizeof(std::uint64_t))
    scatter_of<std::uint64_t>(from, to, step, n);
  else if (size == sizeof(std::uint32_t))
    scatter_of<std::uint32_t>(from, to, step, n);
  else if (size == sizeof(TwoNumbers))
    scatter_of<TwoNumbers>(from, to, step, n);
  else
    scatter_of<std::uint8_t>(from, to, step, n);
}

void put_alternate(const double* from, double* to, Index n) {
  Index i = 0;
#if QUILL_WIDTH > 1
  for (; i + QUILL_WIDTH <= n; i += QUILL_WIDTH) store_alternate(to + i, QUILL_LOAD(from + i));
#endif
  for (; i < n; i += 2) to[i] = from[i];
}
