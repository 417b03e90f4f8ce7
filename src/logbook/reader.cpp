#include "scan.hpp"
#include "tick_line.hpp"

#include <gyrax/files/crc32.hpp>
#include <gyrax/files/kind.hpp>
#include <gyrax/files/text_file.hpp>
#include <gyrax/handset/controls.hpp>
#include <gyrax/logbook/reader.hpp>

#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include <sys/stat.h>
#include <algorithm>
#include <fstream>
#include <limits>
#include <optional>
#include <sstream>
#include <system_error>

namespace gyrax {
namespace {

using Json = nlohmann::json;

const Json& at(const Json& json, const char* key) {
  const auto found = json.find(key);
  if (found == json.end()) throw Wrong{fmt::format("'{}' is missing", key)};
  return *found;
}

std::int64_t whole(const Json& json, std::int64_t least, std::int64_t most) {
  if (!json.is_number_integer()) throw Wrong{"a whole number is wanted"};
  if (json.is_number_unsigned() &&
      json.get<std::uint64_t>() > static_cast<std::uint64_t>(std::numeric_limits<std::int64_t>::max()))
    throw Wrong{"a number is too great"};
  const auto value = json.get<std::int64_t>();
  if (value < least || value > most) throw Wrong{fmt::format("{} is outside {} to {}", value, least, most)};
  return value;
}

std::string text(const Json& json) {
  if (!json.is_string()) throw Wrong{"a text is wanted"};
  return json.get<std::string>();
}

template <class Number>
Number hexadecimal(const Json& json) {
  const std::string digits = text(json);
  Number value = 0;
  const auto [stop, error] = std::from_chars(digits.data(), digits.data() + digits.size(), value, 16);
  if (error != std::errc{} || stop != digits.data() + digits.size()) throw Wrong{"a sum is wanted"};
  return value;
}

/// Whether a line's lists and objects lie in one another no deeper than any record's do. What is parsed takes some 40
/// bytes for each byte of a line, but lists that are opened and never closed would take more.
bool shallow(std::string_view line) {
  constexpr int deepest = 16;
  int depth = 0;
  bool in_text = false;
  for (std::size_t i = 0; i < line.size(); ++i) {
    const char c = line[i];
    if (c == '"') in_text = !in_text;
    if (in_text) {
      if (c == '\\') ++i;
    } else if (c == '[' || c == '{') {
      if (++depth > deepest) return false;
    } else if (c == ']' || c == '}') {
      --depth;
    }
  }
  return true;
}

// Behind the head, but for ticks.
constexpr std::size_t longest_line = 64u << 10;
constexpr std::int64_t most_records = std::int64_t{1} << 60;
constexpr const char* what_is_one = "a file that `gyrax run` wrote";
constexpr std::string_view check_begins = "{\"check\":\"";

}  // namespace

class LogbookReader::Work {
 public:
  explicit Work(const std::string& path) : name_(path), pieces_(opened(path)) { read_head(); }
  Work(std::string bytes, const std::string& name) : name_(name), pieces_(in_memory(std::move(bytes))) { read_head(); }

  bool next(LogRecord& record) {
    if (over_ || !next_line()) return false;
    record.line = line_;
    try {
      if (closed_ && !line_text_.starts_with(check_begins)) throw Wrong{"it follows the end"};
      if (line_text_.starts_with("{\"t\":")) {
        record.kind = LogRecord::Kind::tick;
        read_tick(line_text_, controls_, replays_, record);
        return true;
      }
      if (line_text_.size() > longest_line) throw Wrong{fmt::format("it is longer than {} bytes", longest_line)};
      if (!shallow(line_text_)) throw Wrong{"it is nested too deep"};
      read(Json::parse(line_text_), record);
      return true;
    } catch (const Json::exception&) {
      damaged(fmt::format("line {} is no JSON; what is before it was read", line_));
    } catch (const Wrong& wrong) {
      damaged(fmt::format("line {} is not understood ({}); what is before it was read", line_, wrong.what));
    }
    return false;
  }

  Rig rig_;
  Build build_;
  std::string started_, why_;
  bool replays_ = true;
  LogEnd ended_ = LogEnd::complete;
  std::uint64_t bytes() const { return pieces_.end(); }

 private:
  std::unique_ptr<std::istream> opened(const std::string& path) const {
    struct stat about {};
    std::unique_ptr<std::ifstream> in;
    if (::stat(path.c_str(), &about) == 0 && S_ISREG(about.st_mode))
      in = std::make_unique<std::ifstream>(path, std::ios::binary);
    if (!in || !*in) {
      // What exactly is wrong is known there.
      const Text read = read_text(path, 0);
      throw SessionError({unreadable(path, read.why.empty() ? "it cannot be read" : read.why)}, read.error);
    }
    std::string first(512, '\0');
    in->read(first.data(), static_cast<std::streamsize>(first.size()));
    first.resize(static_cast<std::size_t>(in->gcount()));
    if (auto other = other_kind(first, path, FileKind::logbook)) throw SessionError({std::move(*other)});
    if (!may_be_pieces(first)) refuse(Code::version_missing, "this is no logbook", what_is_one);
    in->clear();
    in->seekg(0);
    return in;
  }
  std::unique_ptr<std::istream> in_memory(std::string bytes) const {
    if (!may_be_pieces(bytes)) refuse(Code::version_missing, "this is no logbook", what_is_one);
    return std::make_unique<std::istringstream>(std::move(bytes));
  }

  void damaged(std::string why) {
    over_ = true;
    ended_ = LogEnd::damaged;
    why_ = std::move(why);
  }

  /// Each piece is held against the line that ends it.
  bool next_piece() {
    if (!pieces_.next(piece_)) {
      over_ = true;
      ended_ = pieces_.ended();
      why_ = pieces_.why();
      if (!why_.empty()) why_ += "; what is before it was read";
      if (ended_ == LogEnd::complete && !closed_) damaged("the line that closes it is missing");
      return false;
    }
    left_ = piece_;
    const std::size_t last = piece_.size() < 2 ? std::string::npos : piece_.rfind('\n', piece_.size() - 2);
    const std::size_t begin = last == std::string::npos ? 0 : last + 1;
    const std::string_view check = std::string_view(piece_).substr(begin);
    const std::string wanted = fmt::format("{}{:08x}\"", check_begins, crc32(left_.substr(0, begin)));
    if (check.starts_with(wanted) && check.ends_with('\n')) return true;
    damaged(
        fmt::format("the piece that begins at byte {} does not end with the line that checks it; what is before "
                    "it was read",
                    pieces_.begin()));
    return false;
  }

  bool next_line() {
    while (left_.empty())
      if (!next_piece()) return false;
    const std::size_t end = left_.find('\n');
    line_text_ = left_.substr(0, end);
    left_.remove_prefix(std::min(end, left_.size() - 1) + 1);
    ++line_;
    return true;
  }

  [[noreturn]] void refuse(Code code, std::string what, std::string allowed) const {
    throw SessionError({{code, name_, 0, 0, "", std::move(what), std::move(allowed), ""}});
  }

  void read_head() {
    if (!next_line())
      refuse(ended_ == LogEnd::cut_off ? Code::cut_off : Code::damaged,
             fmt::format("its head is {}: {}", name_of(ended_), pieces_.why()), "nothing can be read without it");
    const Json head = shallow(line_text_) ? Json::parse(line_text_, nullptr, false) : Json();
    if (!head.is_object() || !head.contains("gyrax_logbook"))
      refuse(Code::version_missing, "this is no logbook", what_is_one);
    try {
      if (const auto version = whole(head["gyrax_logbook"], 1, 1'000'000); version != logbook_version)
        refuse(Code::version_newer, fmt::format("this logbook is of version {}", version),
               fmt::format("this program reads version {}; take {} one", logbook_version,
                           version > logbook_version ? "a newer" : "an older"));
      read_head(head);
    } catch (const Json::exception& error) {
      refuse(Code::syntax, fmt::format("the head is not understood: {}", error.what()),
             "the line that `gyrax run` wrote");
    } catch (const Wrong& wrong) {
      refuse(Code::syntax, fmt::format("the head is not understood: {}", wrong.what),
             "the line that `gyrax run` wrote");
    }
  }

  void read_head(const Json& head) {
    const Json& program = at(head, "program");
    build_ = {text(at(program, "version")), text(at(program, "binary")), text(at(program, "processor"))};
    started_ = text(at(head, "started"));
    if (!at(head, "replays").is_boolean()) throw Wrong{"replays is true or false"};
    replays_ = head["replays"].get<bool>();
    std::vector<RigSource> sources;
    for (const Json& source : at(head, "rig")) sources.push_back({text(at(source, "path")), text(at(source, "text"))});
    if (sources.empty()) throw Wrong{"it holds no rig"};
    rig_ = parse_rig(sources);
    for (const Json& name : at(head, "controls")) {
      const ControlName* control = find_control(text(name));
      controls_.push_back(control != nullptr ? control->id : ControlId::gap);
    }
    LogRecord record;
    for (const Json& one : at(head, "calibrations")) {
      read_calibration(one, record);
      rig_.setup.controls[index(record.slot)].calibration = record.calibration;
    }
  }

  void read(const Json& json, LogRecord& record) {
    if (json.contains("check")) {
      record.kind = LogRecord::Kind::check;
      record.number = static_cast<std::uint64_t>(whole(at(json, "ticks"), 0, most_records));
      record.sums.clear();
      if (json.contains("axes"))
        for (const Json& sum : json["axes"]) record.sums.push_back(hexadecimal<std::uint64_t>(sum));
    } else if (json.contains("slot")) {
      read_calibration(json, record);
    } else if (json.contains("whole")) {
      record.kind = LogRecord::Kind::whole;
      record.text = line_text_;
    } else if (json.contains("closed")) {
      record.kind = LogRecord::Kind::end;
      record.text = text(json["closed"]);
      closed_ = true;
    } else if (json.contains("lost")) {
      record.kind = LogRecord::Kind::lost;
      record.number = static_cast<std::uint64_t>(whole(json["lost"], 0, most_records));
    } else if (json.contains("seated")) {
      record.kind = LogRecord::Kind::seated;
      record.text =
          fmt::format("{} ({}) is handset '{}'", text(at(json, "device")), text(at(json, "id")), text(json["seated"]));
    } else {
      throw Wrong{"no kind of record is like it"};
    }
  }

  void read_calibration(const Json& json, LogRecord& record) const {
    record.kind = LogRecord::Kind::calibrate;
    const auto slots = static_cast<std::int64_t>(rig_.setup.controls.size());
    record.slot = id_at<SlotId>(static_cast<std::size_t>(whole(at(json, "slot"), 0, slots - 1)));
    const auto raw = [&](const char* key) {
      return static_cast<std::int32_t>(whole(at(json, key), -Calibration::max_raw, Calibration::max_raw));
    };
    const auto kind = static_cast<ControlKind>(whole(at(json, "kind"), 0, 3));
    if (!at(json, "reversed").is_boolean()) throw Wrong{"reversed is true or false"};
    const auto made =
        Calibration::make(kind, raw("minimum"), raw("centre"), raw("maximum"), json["reversed"].get<bool>());
    if (!made) throw Wrong{"minimum, centre and maximum do not go together"};
    record.calibration = *made;
  }

  std::string name_;
  PieceReader pieces_;
  std::string piece_;
  std::string_view left_, line_text_;
  std::vector<ControlId> controls_;  // by the file's numbers
  int line_ = 0;
  bool closed_ = false, over_ = false;
};

LogbookReader::LogbookReader(const std::string& path) : work_(std::make_unique<Work>(path)) {}
LogbookReader::LogbookReader(std::string bytes, const std::string& name)
    : work_(std::make_unique<Work>(std::move(bytes), name)) {}
LogbookReader::~LogbookReader() = default;
const Rig& LogbookReader::rig() const noexcept { return work_->rig_; }
const Build& LogbookReader::build() const noexcept { return work_->build_; }
const std::string& LogbookReader::started() const noexcept { return work_->started_; }
bool LogbookReader::replays() const noexcept { return work_->replays_; }
bool LogbookReader::next(LogRecord& record) { return work_->next(record); }
LogEnd LogbookReader::ended() const noexcept { return work_->ended_; }
const std::string& LogbookReader::why() const noexcept { return work_->why_; }
std::uint64_t LogbookReader::bytes() const noexcept { return work_->bytes(); }

}  // namespace gyrax
