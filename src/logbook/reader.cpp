#include <gyrax/files/kind.hpp>
#include <gyrax/files/text_file.hpp>
#include <gyrax/handset/controls.hpp>
#include <gyrax/logbook/reader.hpp>

#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include <sys/stat.h>
#include <cmath>
#include <istream>
#include <limits>
#include <optional>
#include <sstream>
#include <system_error>

namespace gyrax {
namespace {

using Json = nlohmann::json;

/// What a line lacks, thrown inside this file alone.
struct Wrong {
  std::string what;
};

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

double number(const Json& json) {
  if (json.is_number()) return json.get<double>();
  const std::string word = json.is_string() ? json.get<std::string>() : std::string();
  if (word == "inf") return HUGE_VAL;
  if (word == "-inf") return -HUGE_VAL;
  if (word == "nan" || word == "-nan") return std::numeric_limits<double>::quiet_NaN();
  throw Wrong{"a number is wanted"};
}

std::string text(const Json& json) {
  if (!json.is_string()) throw Wrong{"a text is wanted"};
  return json.get<std::string>();
}

const Json& row(const Json& json, std::size_t size) {
  if (!json.is_array() || json.size() < size) throw Wrong{fmt::format("a list of {} is wanted", size)};
  return json;
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

constexpr std::int64_t most_ns = std::int64_t{1} << 60;

Time time_at(Time now, const Json& json) { return now + Span{whole(json, -most_ns, most_ns)}; }

}  // namespace

class LogbookReader::Work {
 public:
  explicit Work(const std::string& path) : name_(path) {
    struct stat about {};
    if (::stat(path.c_str(), &about) == 0 && S_ISREG(about.st_mode)) in_ = std::make_unique<std::ifstream>(path);
    if (!in_ || !*in_) {
      // What exactly is wrong is known there.
      const Text read = read_text(path, 0);
      throw SessionError({unreadable(path, read.why.empty() ? "it cannot be read" : read.why)}, read.error);
    }
    std::string first(512, '\0');
    in_->read(first.data(), static_cast<std::streamsize>(first.size()));
    first.resize(static_cast<std::size_t>(in_->gcount()));
    if (auto other = other_kind(first, path, FileKind::logbook)) throw SessionError({std::move(*other)});
    in_->clear();
    in_->seekg(0);
    read_head();
  }
  Work(std::string text, const std::string& name)
      : name_(name), in_(std::make_unique<std::istringstream>(std::move(text))) {
    read_head();
  }

  bool next(LogRecord& record) {
    if (!cut_.empty() || closed_ || !next_line()) return false;
    if (!shallow(line_text_)) {
      cut_ = fmt::format("line {} is no record; what is before it was read", line_);
      return false;
    }
    try {
      const Json json = Json::parse(line_text_);
      record.line = line_;
      read(json, record);
      return true;
    } catch (const Json::exception&) {
      cut_ = fmt::format("line {} is no JSON; what is before it was read", line_);
    } catch (const Wrong& wrong) {
      cut_ = fmt::format("line {} is not understood ({}); what is before it was read", line_, wrong.what);
    }
    return false;
  }

  Rig rig_;
  Build build_;
  std::string started_, cut_;

 private:
  bool next_line() {
    line_text_.clear();
    // Bounded, however the file goes on.
    for (int c = in_->get(); c != std::char_traits<char>::eof(); c = in_->get()) {
      if (c == '\n') {
        ++line_;
        return true;
      }
      if (line_text_.size() == max_log_line) {
        cut_ = fmt::format("line {} is longer than {} bytes; what is before it was read", line_ + 1, max_log_line);
        return false;
      }
      line_text_ += static_cast<char>(c);
    }
    cut_ = line_text_.empty() ? fmt::format("it ends after line {}, without the line that closes it", line_)
                              : fmt::format("it is cut off inside line {}; what is before it was read", line_ + 1);
    return false;
  }

  [[noreturn]] void refuse(Code code, std::string what, std::string allowed) const {
    throw SessionError({{code, name_, 1, 1, "", std::move(what), std::move(allowed), ""}});
  }

  void read_head() {
    const bool whole_line = next_line();
    const Json head = shallow(line_text_) ? Json::parse(line_text_, nullptr, false) : Json();
    if (!whole_line || !head.is_object() || !head.contains("gyrax_logbook"))
      refuse(Code::version_missing, "this is no logbook", "a file that `gyrax run` wrote");
    try {
      if (const auto version = whole(head["gyrax_logbook"], 1, 1'000'000); version > logbook_version)
        refuse(Code::version_newer, fmt::format("this logbook is of version {}", version),
               fmt::format("this program reads versions up to {}; take a newer one", logbook_version));
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
    if (json.contains("t")) return read_tick(json, record);
    if (json.contains("slot")) {
      read_calibration(json, record);
      return;
    }
    if (json.contains("closed")) {
      record.kind = LogRecord::Kind::end;
      record.text = text(json["closed"]);
      closed_ = true;
    } else if (json.contains("lost")) {
      record.kind = LogRecord::Kind::lost;
      record.number = static_cast<std::uint64_t>(whole(json["lost"], 0, most_ns));
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

  void read_tick(const Json& json, LogRecord& record) {
    record.kind = LogRecord::Kind::tick;
    record.text = line_text_;
    record.now = Time{Span{whole(json["t"], -most_ns, most_ns)}};
    record.end = json.contains("end");
    record.readings.clear();
    record.reports.clear();
    record.program.clear();
    if (const auto list = json.find("p"); list != json.end())
      for (const Json& one : *list) record.program.push_back(read_program(row(one, 3)));
    if (const auto list = json.find("r"); list != json.end())
      for (const Json& one : *list) record.readings.push_back(read_reading(row(one, 6), record.now));
    const auto reports = json.find("m");
    if (reports == json.end()) return;
    const std::size_t rows = std::max(record.report_axes.size(), reports->size());
    record.report_axes.resize(rows);
    record.report_inputs.resize(rows);
    record.report_actions.resize(rows);
    for (const Json& one : *reports) read_report(row(one, 5), record);
  }

  Reading read_reading(const Json& r, Time now) const {
    Reading reading;
    reading.handset = id_at<HandsetId>(static_cast<std::size_t>(whole(r[0], 0, max_handsets - 1)));
    const auto control = whole(r[1], -2, static_cast<std::int64_t>(controls_.size()) - 1);
    reading.control = control == -1   ? ControlId::presence
                      : control == -2 ? ControlId::gap
                                      : controls_[static_cast<std::size_t>(control)];
    reading.sequence = static_cast<std::uint32_t>(whole(r[2], 0, std::numeric_limits<std::uint32_t>::max()));
    reading.event = time_at(now, r[3]);
    reading.arrival = time_at(now, r[4]);
    reading.raw = static_cast<std::int32_t>(
        whole(r[5], std::numeric_limits<std::int32_t>::min(), std::numeric_limits<std::int32_t>::max()));
    return reading;
  }

  static ProgramRequest read_program(const Json& r) {
    ProgramRequest request;
    request.coordinate = id_at<CoordinateId>(static_cast<std::size_t>(whole(r[0], 0, max_axes - 1)));
    const std::string kind = text(r[1]);
    if (kind != "jog" && kind != "go") throw Wrong{"a program asks for jog or go"};
    request.kind = kind == "go" ? ProgramRequest::Kind::go : ProgramRequest::Kind::jog;
    if (kind == "go") request.goal = whole(r[2], std::numeric_limits<Nano>::min(), std::numeric_limits<Nano>::max());
    if (kind == "jog") request.velocity = number(r[2]);
    return request;
  }

  /// What a report says besides its axes.
  static void read_rest(const Json& rest, LogRecord& record, LinkReport& report) {
    constexpr std::int64_t most = 0xfffe;
    if (rest.contains("clock")) report.far_clock = time_at(record.now, rest["clock"]);
    report.faults = static_cast<std::uint32_t>(whole(at(rest, "faults"), 0, std::numeric_limits<std::uint32_t>::max()));
    std::vector<InputReport>& inputs = record.report_inputs[record.reports.size()];
    std::vector<ActionReport>& actions = record.report_actions[record.reports.size()];
    inputs.clear();
    actions.clear();
    if (const auto list = rest.find("inputs"); list != rest.end())
      for (const Json& one : *list)
        inputs.push_back({id_at<InputId>(static_cast<std::size_t>(whole(row(one, 3)[0], 0, most))), number(one[1]),
                          whole(one[2], 0, 1) != 0});
    if (const auto list = rest.find("actions"); list != rest.end())
      for (const Json& one : *list) {
        const std::string word = text(row(one, 2)[1]);
        const std::size_t result = word == "done" ? 0 : word == "refused" ? 1 : 2;
        if (result == 2 && word != "timed_out") throw Wrong{"an action is done, refused or timed_out"};
        actions.push_back({id_at<ActionId>(static_cast<std::size_t>(whole(one[0], 0, most))),
                           static_cast<ActionReport::Result>(result)});
      }
    report.inputs = inputs;
    report.actions = actions;
  }

  static void read_report(const Json& r, LogRecord& record) {
    LinkReport report;
    report.link = id_at<LinkId>(static_cast<std::size_t>(whole(r[0], 0, max_links - 1)));
    report.sequence = static_cast<std::uint32_t>(whole(r[1], 0, std::numeric_limits<std::uint32_t>::max()));
    report.measured = time_at(record.now, r[2]);
    report.arrival = time_at(record.now, r[3]);
    std::vector<AxisReport>& axes = record.report_axes[record.reports.size()];
    axes.clear();
    for (const Json& axis : row(r[4], 0))
      axes.push_back(axis.is_null() ? AxisReport{} : AxisReport{true, number(row(axis, 2)[0]), number(axis[1])});
    report.axes = axes;
    if (r.size() > 5) read_rest(r[5], record, report);
    record.reports.push_back(report);
  }

  std::string name_;
  std::unique_ptr<std::istream> in_;
  std::string line_text_;
  std::vector<ControlId> controls_;  // by the file's numbers
  int line_ = 0;
  bool closed_ = false;
};

LogbookReader::LogbookReader(const std::string& path) : work_(std::make_unique<Work>(path)) {}
LogbookReader::LogbookReader(std::string text, const std::string& name)
    : work_(std::make_unique<Work>(std::move(text), name)) {}
LogbookReader::~LogbookReader() = default;
const Rig& LogbookReader::rig() const noexcept { return work_->rig_; }
const Build& LogbookReader::build() const noexcept { return work_->build_; }
const std::string& LogbookReader::started() const noexcept { return work_->started_; }
bool LogbookReader::next(LogRecord& record) { return work_->next(record); }
const std::string& LogbookReader::cut() const noexcept { return work_->cut_; }

}  // namespace gyrax
