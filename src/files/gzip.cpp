#include <fmt/format.h>
#include <zlib.h>

#include <algorithm>

#include "base/interrupt.h"
#include "files/formats.h"

namespace quill {

namespace {

constexpr int kWithHeader = 15 + 16;     // the largest window, and the header of gzip
constexpr int kWithAnyHeader = 15 + 32;  // or that of zlib
constexpr std::size_t kPart = std::size_t{1} << 20;

// A stream of the library that takes bytes piece by piece and adds to a text.
class Stream {
 public:
  Stream(std::string_view bytes, int (*end)(z_streamp)) : bytes_(bytes), end_(end) {}
  ~Stream() { end_(&z); }
  Stream(const Stream&) = delete;
  Stream& operator=(const Stream&) = delete;

  // One step, which returns the library's status; `is_last`: all input has been supplied.
  template <class Work>
  int step(Work work) {
    poll_interrupt();
    if (z.avail_in == 0) {
      const auto size = std::min(kPart, bytes_.size() - at_);
      z.next_in = reinterpret_cast<Bytef*>(const_cast<char*>(bytes_.data() + at_));
      z.avail_in = static_cast<uInt>(size);
      at_ += size;
    }
    const auto before = out.size();
    out.resize(before + kPart);
    z.next_out = reinterpret_cast<Bytef*>(out.data() + before);
    z.avail_out = static_cast<uInt>(kPart);
    const int state = work(&z, at_ == bytes_.size());
    out.resize(before + kPart - z.avail_out);
    return state;
  }
  bool is_used_up() const { return at_ == bytes_.size() && z.avail_in == 0; }

  z_stream z{};
  std::string out;

 private:
  std::string_view bytes_;
  int (*end_)(z_streamp);
  std::size_t at_ = 0;
};

}  // namespace

bool is_zipped(std::string_view bytes) { return bytes.starts_with("\x1f\x8b"); }

std::string unzipped(std::string_view bytes, const std::string& name) {
  Stream stream(bytes, inflateEnd);
  if (inflateInit2(&stream.z, kWithAnyHeader) != Z_OK)
    fail_hindered("not enough memory to decompress a file");
  while (true) {
    const int state = stream.step([](z_streamp z, bool) { return inflate(z, Z_NO_FLUSH); });
    if (state == Z_STREAM_END) {
      // Several packed pieces may follow each other.
      if (stream.is_used_up()) return std::move(stream.out);
      inflateReset(&stream.z);
    } else if (state != Z_OK || (stream.is_used_up() && stream.z.avail_out > 0)) {
      fail(fmt::format("{} is damaged: it cannot be decompressed beyond byte {}", name, stream.z.total_in));
    }
  }
}

std::string zipped(std::string_view bytes) {
  constexpr int level = 6, memory = 8;
  Stream stream(bytes, deflateEnd);
  if (deflateInit2(&stream.z, level, Z_DEFLATED, kWithHeader, memory, Z_DEFAULT_STRATEGY) != Z_OK)
    fail_hindered("not enough memory to compress a file");
  while (stream.step([](z_streamp z, bool is_last) { return deflate(z, is_last ? Z_FINISH : Z_NO_FLUSH); }) !=
         Z_STREAM_END) {}
  return std::move(stream.out);
}

}  // namespace quill
