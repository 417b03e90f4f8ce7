#include <gyrax/files/crc32.hpp>
#include <gyrax/logbook/pieces.hpp>

#include <fmt/format.h>
#include <zstd.h>

#include <algorithm>
#include <fstream>
#include <optional>
#include <stdexcept>

namespace gyrax {
namespace {

// A skippable frame (RFC 8878, 3.1.2): every zstd tool reads past it.
constexpr std::uint32_t skippable = 0x184D2A57, payload_size = label_size - 8;
// Numbers that hardly repeat get smaller by the coding of their digits; short repetitions, which all higher levels look
// for, stand in its way (bench/logbook.cpp: 119 MB an hour with level 1 alone, 113 so).
constexpr int level = 1, strategy = ZSTD_lazy2, shortest_match = 6;
constexpr std::uint32_t tripped_mark = 1, closed_mark = 2;
// A text of max_piece that cannot be made smaller, and what zstd puts around it.
constexpr std::size_t max_frame = max_piece + max_piece / 128 + 1024;

void put(std::string& out, std::uint32_t word) {
  for (int byte = 0; byte < 4; ++byte) out += static_cast<char>(word >> (8 * byte) & 0xff);
}

std::uint32_t word_at(std::string_view bytes, std::size_t at) {
  std::uint32_t word = 0;
  for (std::size_t byte = 0; byte < 4; ++byte)
    word |= std::uint32_t{static_cast<unsigned char>(bytes[at + byte])} << (8 * byte);
  return word;
}

struct Label {
  PieceLabel says;
  std::uint32_t size = 0, check = 0;  // of the frame behind it
};

std::string bytes_of(const Label& label) {
  std::string out;
  put(out, skippable);
  put(out, payload_size);
  put(out, label.says.number);
  put(out, label.size);
  put(out, label.check);
  put(out, (label.says.tripped ? tripped_mark : 0) | (label.says.closed ? closed_mark : 0));
  put(out, crc32(out));
  return out;
}

/// Nothing where they are no label, or not the bytes that were written.
std::optional<Label> label_from(std::string_view bytes) {
  const std::uint32_t marks = word_at(bytes, 20);
  const Label label{{word_at(bytes, 8), (marks & tripped_mark) != 0, (marks & closed_mark) != 0},
                    word_at(bytes, 12),
                    word_at(bytes, 16)};
  if (bytes != bytes_of(label) || label.size > max_frame) return std::nullopt;
  return label;
}

}  // namespace

const char* name_of(LogEnd end) noexcept {
  switch (end) {
    case LogEnd::complete: return "complete";
    case LogEnd::cut_off: return "cut off";
    case LogEnd::damaged: break;
  }
  return "damaged";
}

bool may_be_pieces(std::string_view first) noexcept {
  return first.size() >= 8 && (word_at(first, 0) == skippable || word_at(first, 4) == payload_size);
}

std::string frame_of(std::string_view text) {
  // One for a thread, made once: it is half a megabyte.
  thread_local const std::unique_ptr<ZSTD_CCtx, decltype(&ZSTD_freeCCtx)> context(ZSTD_createCCtx(), ZSTD_freeCCtx);
  if (text.size() > max_piece) throw std::length_error("a piece of a logbook is too long");
  ZSTD_CCtx_setParameter(context.get(), ZSTD_c_compressionLevel, level);
  ZSTD_CCtx_setParameter(context.get(), ZSTD_c_strategy, strategy);
  ZSTD_CCtx_setParameter(context.get(), ZSTD_c_minMatch, shortest_match);
  // So that `zstd -t` finds damage as well.
  ZSTD_CCtx_setParameter(context.get(), ZSTD_c_checksumFlag, 1);
  std::string frame(ZSTD_compressBound(text.size()), '\0');
  const std::size_t size = ZSTD_compress2(context.get(), frame.data(), frame.size(), text.data(), text.size());
  if (ZSTD_isError(size) != 0) throw std::runtime_error(ZSTD_getErrorName(size));
  frame.resize(size);
  return frame;
}

std::string label_of(std::string_view frame, const PieceLabel& label) {
  return bytes_of({label, static_cast<std::uint32_t>(frame.size()), crc32(frame)});
}

std::string pack_piece(std::string_view text, const PieceLabel& label) {
  const std::string frame = frame_of(text);
  return label_of(frame, label) + frame;
}

class PieceReader::Work {
 public:
  explicit Work(std::unique_ptr<std::istream> in) : in_(std::move(in)) {}

  bool next(std::string& text) {
    if (over_) return false;
    begin_ = end_;
    bytes_.resize(label_size);
    const std::size_t got = read(bytes_.data(), label_size);
    if (got == 0 && label_.closed) return end(LogEnd::complete, "");
    if (label_.closed) return end(LogEnd::damaged, fmt::format("bytes follow its end, from byte {} on", begin_));
    if (got < label_size) return cut(got);
    const auto label = label_from(bytes_);
    if (!label) return damaged("its label");
    bytes_.resize(label->size);
    if (const std::size_t there = read(bytes_.data(), label->size); there < label->size) return cut(got + there);
    end_ = begin_ + label_size + label->size;
    if (crc32(bytes_) != label->check) return damaged("its text");
    if (label->says.number != pieces_) return damaged("its number: a piece is missing");
    if (!unpack(text)) return damaged("its text");
    label_ = label->says;
    ++pieces_;
    return true;
  }

  std::unique_ptr<std::istream> in_;
  PieceLabel label_;
  std::uint64_t begin_ = 0, end_ = 0;
  LogEnd ended_ = LogEnd::complete;
  std::string why_;

 private:
  std::size_t read(char* into, std::size_t size) {
    in_->read(into, static_cast<std::streamsize>(size));
    return static_cast<std::size_t>(in_->gcount());
  }

  bool unpack(std::string& text) {
    const unsigned long long size = ZSTD_getFrameContentSize(bytes_.data(), bytes_.size());
    if (size > max_piece) return false;  // the codes for unknown and for an error are as well
    text.resize(size);
    return ZSTD_decompressDCtx(context_.get(), text.data(), text.size(), bytes_.data(), bytes_.size()) == size;
  }

  bool end(LogEnd how, std::string why) {
    over_ = true;
    ended_ = how;
    why_ = std::move(why);
    return false;
  }
  bool cut(std::size_t there) {
    return end(LogEnd::cut_off, there == 0 ? fmt::format("it ends at byte {}, without the piece that closes it", begin_)
                                           : fmt::format("it ends inside the piece that begins at byte {}", begin_));
  }
  bool damaged(const char* what) {
    return end(LogEnd::damaged, fmt::format("the piece from byte {} to {} is not what was written ({})", begin_,
                                            std::max(end_, begin_ + label_size), what));
  }

  std::unique_ptr<ZSTD_DCtx, decltype(&ZSTD_freeDCtx)> context_{ZSTD_createDCtx(), ZSTD_freeDCtx};
  std::string bytes_;
  std::uint32_t pieces_ = 0;
  bool over_ = false;
};

PieceReader::PieceReader(std::unique_ptr<std::istream> in) : work_(std::make_unique<Work>(std::move(in))) {}
PieceReader::~PieceReader() = default;
bool PieceReader::next(std::string& text) { return work_->next(text); }
const PieceLabel& PieceReader::label() const noexcept { return work_->label_; }
std::uint64_t PieceReader::begin() const noexcept { return work_->begin_; }
std::uint64_t PieceReader::end() const noexcept { return work_->end_; }
LogEnd PieceReader::ended() const noexcept { return work_->ended_; }
const std::string& PieceReader::why() const noexcept { return work_->why_; }

std::optional<LastPiece> last_piece(const std::string& path) {
  std::ifstream in(path, std::ios::binary | std::ios::ate);
  const auto size = static_cast<std::size_t>(std::max<std::streamoff>(0, in ? std::streamoff{in.tellg()} : 0));
  std::string magic, tail;
  put(magic, skippable);
  // The last piece is whole, or cut off behind a whole one. Most are small.
  for (const std::size_t wanted : {std::size_t{256} << 10, 2 * max_frame}) {
    tail.resize(std::min(size, wanted));
    in.clear();
    in.seekg(static_cast<std::streamoff>(size - tail.size()));
    in.read(tail.data(), static_cast<std::streamsize>(tail.size()));
    for (std::size_t at = tail.rfind(magic); at != std::string::npos;
         at = at == 0 ? at - 1 : tail.rfind(magic, at - 1)) {
      const std::string_view rest = std::string_view(tail).substr(at);
      const auto label = rest.size() < label_size ? std::nullopt : label_from(rest.substr(0, label_size));
      if (!label || rest.size() < label_size + label->size) continue;
      const std::size_t end = label_size + label->size;
      if (crc32(rest.substr(label_size, label->size)) != label->check) return LastPiece{label->says, LogEnd::damaged};
      return LastPiece{label->says, label->says.closed && rest.size() == end ? LogEnd::complete : LogEnd::cut_off};
    }
  }
  return std::nullopt;
}

}  // namespace gyrax
