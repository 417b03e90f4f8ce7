#include "lines.hpp"

#include <gyrax/logbook/writer.hpp>
#include <gyrax/threads/record_ring.hpp>

#include <fmt/chrono.h>
#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include <fcntl.h>
#include <sys/stat.h>
#include <unistd.h>
#include <algorithm>
#include <array>
#include <atomic>
#include <bit>
#include <cerrno>
#include <cstdlib>
#include <cstring>
#include <filesystem>
#include <thread>

namespace gyrax {
namespace {

constexpr std::size_t max_record = 256u << 10, piece = 64u << 10;
constexpr auto look_every = std::chrono::milliseconds(20);

enum class What : std::uint8_t { tick, calibrate, seated, lost };

/// Puts plain values one after another into a buffer of fixed size.
class Packer {
 public:
  explicit Packer(std::span<std::byte> room) : room_(room) {}
  template <class T>
  void put(const T& value) noexcept {
    static_assert(std::is_trivially_copyable_v<T>);
    put_bytes(std::as_bytes(std::span(&value, 1)));
  }
  template <class T>
  void put_all(std::span<const T> values) noexcept {
    put(static_cast<std::uint32_t>(values.size()));
    put_bytes(std::as_bytes(values));
  }
  /// What was put; nothing if it did not fit.
  std::span<const std::byte> packed() const noexcept { return fits_ ? room_.first(used_) : std::span<std::byte>(); }

 private:
  void put_bytes(std::span<const std::byte> bytes) noexcept {
    fits_ = fits_ && bytes.size() <= room_.size() - used_;
    if (!fits_ || bytes.empty()) return;
    std::memcpy(room_.data() + used_, bytes.data(), bytes.size());
    used_ += bytes.size();
  }
  std::span<std::byte> room_;
  std::size_t used_ = 0;
  bool fits_ = true;
};

class Unpacker {
 public:
  explicit Unpacker(std::span<const std::byte> bytes) : bytes_(bytes) {}
  template <class T>
  T get() {
    T value{};
    std::memcpy(&value, bytes_.data(), sizeof value);
    bytes_ = bytes_.subspan(sizeof value);
    return value;
  }
  template <class T>
  void get_all(std::vector<T>& out) {
    out.resize(get<std::uint32_t>());
    if (!out.empty()) std::memcpy(static_cast<void*>(out.data()), bytes_.data(), out.size() * sizeof(T));
    bytes_ = bytes_.subspan(out.size() * sizeof(T));
  }

 private:
  std::span<const std::byte> bytes_;
};

std::string now_utc(const char* pattern) {
  return fmt::format(fmt::runtime(pattern),
                     fmt::gmtime(std::chrono::system_clock::to_time_t(std::chrono::system_clock::now())));
}

}  // namespace

class LogbookWriter::Work {
 public:
  Work(const Rig& rig, const std::string& path, Options options)
      : rig_(rig), options_(std::move(options)), ring_(options_.ring), room_(max_record), lines_(rig) {
    struct stat old {};
    const bool is_file = ::stat(path.c_str(), &old) != 0 || S_ISREG(old.st_mode);
    // A pipe that nobody reads is a disk that is full, and not a wait.
    const int how = !is_file ? O_NONBLOCK : options_.replace ? O_CREAT | O_TRUNC : O_CREAT | O_EXCL;
    fd_ = ::open(path.c_str(), O_WRONLY | O_CLOEXEC | how, 0666);
    if (fd_ < 0)
      throw std::system_error(errno, std::generic_category(), fmt::format("cannot make the logbook '{}'", path));
    head_ = header_line(rig, this_build(), now_utc("{:%Y-%m-%dT%H:%M:%SZ}")) + "\n";
    waiting_ = head_;
    thread_ = std::thread([this] { run(); });
  }
  ~Work() {
    finish();
    ::close(fd_);
  }
  Work(const Work&) = delete;
  Work& operator=(const Work&) = delete;

  void tick(const TickRecord& r) noexcept {
    Packer pack(room_);
    pack.put(What::tick);
    pack.put(r.now);
    pack.put(r.end);
    pack.put_all(r.readings);
    pack.put(static_cast<std::uint32_t>(r.reports.size()));
    for (const LinkReport& report : r.reports) {
      pack.put(report.link);
      pack.put(report.sequence);
      pack.put(report.measured);
      pack.put(report.arrival);
      pack.put_all(report.axes);
      pack.put(report.far_clock);
      pack.put(report.faults);
      pack.put_all(report.inputs);
      pack.put_all(report.actions);
    }
    pack.put_all(r.commands);
    pack.put_all(r.switches);
    pack.put_all(r.events);
    pack.put_all(r.program);
    write(pack.packed());
  }
  void calibrate(SlotId slot, const Calibration& calibration) noexcept {
    Packer pack(room_);
    pack.put(What::calibrate);
    pack.put(slot);
    pack.put(calibration);
    write(pack.packed());
  }
  void seated(HandsetId handset, std::size_t number) noexcept {
    Packer pack(room_);
    pack.put(What::seated);
    pack.put(handset);
    pack.put(number);
    write(pack.packed());
  }
  std::uint64_t lost() const noexcept { return lost_.load(std::memory_order_relaxed); }

  Closed close(const std::string& account) {
    finish();
    if (refused_ > 0) tell_lost(refused_);
    flush();
    // A disk that refused the last piece may take the word that it did.
    for (int tries = 0; tries < 5; ++tries) {
      const nlohmann::ordered_json last{{"closed", account}, {"ticks", ticks_}, {"lost", lost()}};
      waiting_ += last.dump(-1, ' ', false, nlohmann::ordered_json::error_handler_t::replace) + "\n";
      if (flush()) break;
    }
    if (::fsync(fd_) != 0 && errno != EINVAL && trouble_.empty()) trouble_ = std::strerror(errno);
    return {ticks_, lost(), bytes_, trouble_};
  }

 private:
  /// Into the ring; before the first record that fits again goes the number of those that did not.
  void write(std::span<const std::byte> record) noexcept {
    if (refused_ > 0) {
      std::array<std::byte, 16> room{};
      Packer pack(room);
      pack.put(What::lost);
      pack.put(refused_);
      if (!record.empty() && ring_.write(pack.packed())) refused_ = 0;
    }
    if (refused_ == 0 && !record.empty() && ring_.write(record)) return;
    ++refused_;
    lost_.fetch_add(1, std::memory_order_relaxed);
  }

  void finish() {
    if (!thread_.joinable()) return;
    ending_ = true;
    thread_.join();
  }

  void run() {
    bool ending = false;
    while (!ending) {
      ending = ending_;
      bool any = false;
      while (ring_.read(record_)) {
        any = true;
        format();
        if (waiting_.size() >= piece) flush();
      }
      flush();
      if (!any && !ending) std::this_thread::sleep_for(look_every);
    }
  }

  void tell_lost(std::uint64_t records) {
    waiting_ += lost_line(records) + "\n";
    // What was told in between is unknown to the reader: the next line tells everything.
    lines_ = TickLines(rig_);
  }

  void format() {
    Unpacker from(record_);
    switch (from.get<What>()) {
      case What::tick: format_tick(from); break;
      case What::calibrate: {
        const auto slot = from.get<SlotId>();
        waiting_ += calibrate_line(slot, unpack_calibration(from)) + "\n";
        break;
      }
      case What::seated: {
        const auto handset = from.get<HandsetId>();
        const auto number = from.get<std::size_t>();
        if (options_.device) waiting_ += seated_line(rig_, handset, options_.device(number)) + "\n";
        break;
      }
      case What::lost: tell_lost(from.get<std::uint64_t>()); return;
    }
    ++in_piece_;
  }

  static Calibration unpack_calibration(Unpacker& from) {
    struct Bytes {
      std::byte raw[sizeof(Calibration)];
    };
    return std::bit_cast<Calibration>(from.get<Bytes>());
  }

  void format_tick(Unpacker& from) {
    TickRecord tick;
    tick.now = from.get<Time>();
    tick.end = from.get<bool>();
    from.get_all(readings_);
    reports_.resize(from.get<std::uint32_t>());
    const std::size_t rows = std::max(report_axes_.size(), reports_.size());
    report_axes_.resize(rows);
    report_inputs_.resize(rows);
    report_actions_.resize(rows);
    for (std::size_t i = 0; i < reports_.size(); ++i) {
      LinkReport& r = reports_[i];
      r.link = from.get<LinkId>();
      r.sequence = from.get<std::uint32_t>();
      r.measured = from.get<Time>();
      r.arrival = from.get<Time>();
      from.get_all(report_axes_[i]);
      r.axes = report_axes_[i];
      r.far_clock = from.get<std::optional<Time>>();
      r.faults = from.get<std::uint32_t>();
      from.get_all(report_inputs_[i]);
      from.get_all(report_actions_[i]);
      r.inputs = report_inputs_[i];
      r.actions = report_actions_[i];
    }
    from.get_all(commands_);
    from.get_all(switches_);
    from.get_all(events_);
    from.get_all(program_);
    tick.readings = readings_;
    tick.reports = reports_;
    tick.commands = commands_;
    tick.switches = switches_;
    tick.events = events_;
    tick.program = program_;
    waiting_ += lines_.line(tick);
    waiting_ += '\n';
    ++ticks_;
    ++ticks_in_piece_;
  }

  /// Writes what waits, whole lines or nothing, and returns whether it did: what the disk took of a piece that it then
  /// refused is cut off again.
  bool flush() {
    if (waiting_.empty()) return true;
    std::error_code error;
    if (options_.before_write) error = options_.before_write();
    std::size_t done = 0;
    while (!error && done < waiting_.size()) {
      const ssize_t put = ::write(fd_, waiting_.data() + done, waiting_.size() - done);
      if (put < 0 && errno == EINTR) continue;
      if (put < 0) {
        error = {errno, std::generic_category()};
      } else {
        done += static_cast<std::size_t>(put);
      }
    }
    waiting_.clear();
    if (!error) {
      bytes_ += done;
      in_piece_ = ticks_in_piece_ = missing_ = 0;
      return true;
    }
    if (trouble_.empty()) trouble_ = error.message();
    const auto end = static_cast<off_t>(bytes_);
    const bool cut = done == 0 || (::ftruncate(fd_, end) == 0 && ::lseek(fd_, end, SEEK_SET) == end);
    lost_.fetch_add(in_piece_, std::memory_order_relaxed);
    missing_ += in_piece_;
    ticks_ -= ticks_in_piece_;
    in_piece_ = ticks_in_piece_ = 0;
    // What the disk takes next begins with what is missing.
    if (bytes_ == 0) waiting_ = head_;
    if (!cut) waiting_ += '\n';
    if (missing_ > 0) tell_lost(missing_);
    return false;
  }

  const Rig& rig_;
  Options options_;
  RecordRing ring_;
  std::vector<std::byte> room_;  // the engine's thread packs here
  std::uint64_t refused_ = 0;    // and counts what the ring did not take since
  std::atomic<std::uint64_t> lost_{0};
  std::atomic<bool> ending_{false};

  // The writer's thread alone.
  TickLines lines_;
  std::vector<std::byte> record_;
  std::vector<Reading> readings_;
  std::vector<LinkReport> reports_;
  std::vector<std::vector<AxisReport>> report_axes_;
  std::vector<std::vector<InputReport>> report_inputs_;
  std::vector<std::vector<ActionReport>> report_actions_;
  std::vector<ProgramRequest> program_;
  std::vector<AxisCommand> commands_;
  std::vector<std::uint8_t> switches_;
  std::vector<Event> events_;
  std::string head_, waiting_, trouble_;
  std::uint64_t ticks_ = 0, bytes_ = 0, in_piece_ = 0, ticks_in_piece_ = 0, missing_ = 0;
  int fd_ = -1;
  std::thread thread_;
};

LogbookWriter::LogbookWriter(const Rig& rig, const std::string& path) : LogbookWriter(rig, path, Options()) {}
LogbookWriter::LogbookWriter(const Rig& rig, const std::string& path, Options options)
    : work_(std::make_unique<Work>(rig, path, std::move(options))) {}
LogbookWriter::~LogbookWriter() = default;

void LogbookWriter::tick(const TickRecord& record) noexcept { work_->tick(record); }
void LogbookWriter::calibrate(SlotId slot, const Calibration& calibration) noexcept {
  work_->calibrate(slot, calibration);
}
void LogbookWriter::seated(HandsetId handset, std::size_t number) noexcept { work_->seated(handset, number); }
std::uint64_t LogbookWriter::lost() const noexcept { return work_->lost(); }
LogbookWriter::Closed LogbookWriter::close(const std::string& account) { return work_->close(account); }

std::string default_logbook_path() {
  namespace fs = std::filesystem;
  const char* const state = std::getenv("XDG_STATE_HOME");
  const char* const home = std::getenv("HOME");
  const fs::path folder =
      (state != nullptr && *state == '/' ? fs::path(state) : fs::path(home != nullptr ? home : ".") / ".local/state") /
      "gyrax";
  fs::create_directories(folder);
  const std::string stem = now_utc("run-{:%Y%m%d-%H%M%S}");
  fs::path path = folder / (stem + ".jsonl");
  for (int again = 2; fs::exists(path); ++again) path = folder / fmt::format("{}-{}.jsonl", stem, again);
  return path.string();
}

}  // namespace gyrax
