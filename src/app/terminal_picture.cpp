#include "app/terminal_picture.h"

#include <poll.h>
#include <sys/ioctl.h>
#include <termios.h>
#include <unistd.h>

#include <algorithm>

#include "figure/animation.h"
#include "figure/layout.h"
#include "render/pixels.h"
#include "render/render.h"

namespace quill {

namespace {

// The terminal's reply to a query, up to `end`; "" without a reply within a fifth of a second.
std::string answer(const std::string& question, char end) {
  struct termios before {};
  if (!isatty(STDIN_FILENO) || !isatty(STDOUT_FILENO) || tcgetattr(STDIN_FILENO, &before) != 0) return {};
  auto raw = before;
  raw.c_lflag &= ~static_cast<tcflag_t>(ICANON | ECHO);
  raw.c_cc[VMIN] = 0;
  raw.c_cc[VTIME] = 0;
  tcsetattr(STDIN_FILENO, TCSANOW, &raw);
  std::string out;
  if (write(STDOUT_FILENO, question.data(), question.size()) == static_cast<ssize_t>(question.size())) {
    constexpr int patience = 200;  // milliseconds
    struct pollfd waiting {
      STDIN_FILENO, POLLIN, 0
    };
    char c = 0;
    while (out.size() < 64 && poll(&waiting, 1, patience) > 0 && read(STDIN_FILENO, &c, 1) == 1) {
      out += c;
      if (c == end) break;
    }
  }
  tcsetattr(STDIN_FILENO, TCSANOW, &before);
  return out;
}

// Primary device attributes (ECMA-48) contain 4 if sixels are supported.
bool understands_sixels() {
  auto text = answer("\x1b[c", 'c');
  if (!text.starts_with("\x1b[?") || !text.ends_with('c')) return false;
  text = ";" + text.substr(3, text.size() - 4) + ";";
  return text.find(";4;") != std::string::npos;
}

}  // namespace

std::string terminal_picture(const Figure& figure) {
  const auto measurer = make_text_measurer();
  const auto list = lay_out(still_of(figure), *measurer);
  struct winsize size {};
  if (ioctl(STDOUT_FILENO, TIOCGWINSZ, &size) != 0 || size.ws_col == 0) size.ws_col = 80;
  if (understands_sixels()) {
    const int room = size.ws_xpixel > 0 ? size.ws_xpixel : size.ws_col * 8;
    return as_sixels(pixels_of(list, std::clamp(room, 200, 1000))) + "\n";
  }
  return half_block_picture(list, std::clamp<int>(size.ws_col, 20, 200));
}

}  // namespace quill
