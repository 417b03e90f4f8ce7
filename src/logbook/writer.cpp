#include "lines.hpp"
#include "packed_tick.hpp"
#include "piece_file.hpp"

#include <gyrax/logbook/writer.hpp>
#include <gyrax/threads/record_ring.hpp>

#include <fmt/chrono.h>
#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include <algorithm>
#include <atomic>
#include <bit>
#include <cerrno>
#include <deque>
#include <map>
#include <mutex>
#include <optional>
#include <thread>
#include <utility>

namespace gyrax {
namespace {

using std::chrono::steady_clock;

// A piece ends after a second, or where it is as long as this: its end is in memory twice.
constexpr std::size_t long_piece = 512u << 10;
constexpr Span flush_every = std::chrono::seconds(1), whole_every = std::chrono::seconds(10);
constexpr auto look_every = std::chrono::milliseconds(20), try_again_after = std::chrono::milliseconds(100);
constexpr int last_tries = 5;

enum class What : std::uint8_t { tick, calibrate, seated, lost };

Calibration unpack_calibration(Unpacker& from) {
  struct Bytes {
    std::byte raw[sizeof(Calibration)];
  };
  return std::bit_cast<Calibration>(from.get<Bytes>());
}

/// "2026-05-04T10:11:12Z".
std::string now_utc() {
  return fmt::format("{:%Y-%m-%dT%H:%M:%SZ}",
                     fmt::gmtime(std::chrono::system_clock::to_time_t(std::chrono::system_clock::now())));
}

std::string json_line(const nlohmann::ordered_json& json) {
  return json.dump(-1, ' ', false, nlohmann::ordered_json::error_handler_t::replace);
}

}  // namespace

class LogbookWriter::Work {
 public:
  Work(const Rig& rig, const std::string& path, Options options)
      : rig_(rig), options_(std::move(options)), ring_(options_.ring), lines_(rig, Outputs::summed), state_(rig) {
    file_.emplace(path, options_.replace, options_.before_write);
    begin(Outputs::summed);
    if (const std::error_code error = file_->write()) {
      file_->remove();
      throw std::system_error(error, fmt::format("cannot write the logbook '{}'", path));
    }
    thread_ = std::thread([this] { run(); });
  }
  Work(const Rig& rig, LastMinute last, Options options)
      : rig_(rig),
        options_(std::move(options)),
        last_(std::move(last)),
        ring_(options_.ring),
        lines_(rig, Outputs::told),
        state_(rig) {
    thread_ = std::thread([this] { run(); });
  }
  ~Work() { finish(); }
  Work(const Work&) = delete;
  Work& operator=(const Work&) = delete;

  void tick(const TickRecord& r) noexcept { write(r); }
  void calibrate(SlotId slot, const Calibration& calibration) noexcept {
    write_all(What::calibrate, slot, calibration);
  }
  void seated(HandsetId handset, std::size_t number) noexcept { write_all(What::seated, handset, number); }

  std::uint64_t lost() const noexcept { return lost_.load(std::memory_order_relaxed); }
  std::error_code trouble() const noexcept {
    const int error = trouble_;
    return error == 0 ? std::error_code{} : std::error_code{error, std::generic_category()};
  }
  std::vector<std::string> written() const {
    const std::lock_guard lock(written_mutex_);
    return written_;
  }

  Closed close(const std::string& account) {
    finish();
    if (last_) return {ticks_, lost(), bytes_, first_trouble_};
    // A disk that refused the last pieces may take the word that it did.
    for (int tries = 0; tries < last_tries; ++tries) {
      tell_lost(lost() - file_->lost());
      text_ += state_.line() + "\n";
      text_ += json_line({{"closed", account}, {"ticks", ticks_}, {"lost", lost()}}) + "\n";
      end_piece(true);
      if (!told(file_->write())) break;
      file_->give_up();
    }
    const bool ended = file_->idle();
    told(file_->sync());
    return {ticks_, lost(), file_->bytes(), ended && lost() == 0 ? std::string() : first_trouble_};
  }

 private:
  // The engine's thread.

  void write(const TickRecord& record) noexcept {
    PackedSize size;
    pack(size, record);
    if (std::byte* const room = make_room(sizeof(What) + size.size())) {
      Packer packer(room);
      packer.put(What::tick);
      pack(packer, record);
      ring_.commit();
    }
  }
  template <class... Values>
  void write_all(const Values&... values) noexcept {
    if (std::byte* const room = make_room((sizeof(Values) + ...))) {
      Packer packer(room);
      (packer.put(values), ...);
      ring_.commit();
    }
  }
  /// Before the first record that fits again goes the number of those that did not.
  std::byte* make_room(std::size_t size) noexcept {
    if (refused_ > 0) {
      std::byte* const room = ring_.begin(sizeof(What) + sizeof refused_);
      if (room == nullptr) return refuse();
      Packer packer(room);
      packer.put(What::lost);
      packer.put(refused_);
      ring_.commit();
      refused_ = 0;
    }
    std::byte* const room = ring_.begin(size);
    return room != nullptr ? room : refuse();
  }
  std::byte* refuse() noexcept {
    ++refused_;
    lost_.fetch_add(1, std::memory_order_relaxed);
    return nullptr;
  }

  // The writer's own.

  void finish() {
    if (!thread_.joinable()) return;
    ending_ = true;
    thread_.join();
  }

  void run() noexcept {
    try {
      take_and_write();
    } catch (const std::exception& error) {
      // No memory: the run goes on without its logbook, and what it says from here on is counted as lost.
      first_trouble_ = error.what();
      trouble_ = ENOMEM;
    }
  }

  void take_and_write() {
    while (!ending_) {
      const bool any = drain();
      if (steady_clock::now() - flushed_ >= 2 * flush_every) end_piece_if_any();
      if (!any) std::this_thread::sleep_for(look_every);
    }
    // Nothing comes any more; what is there gets out, unless the disk is in trouble for good.
    for (int tries = 0; tries < last_tries; ++tries) {
      retry_ = {};
      drain();
      end_piece_if_any();
      flush_what_waits();
      if (file_is_idle()) break;
      std::this_thread::sleep_for(look_every);
    }
    if (!file_is_idle()) give_up();
    close_last_minute();
  }

  /// Takes what is in the ring; what the disk does not take now stays there. Returns whether there was anything.
  bool drain() {
    flush_what_waits();
    bool any = false;
    for (auto record = ring_.front(); file_is_idle() && !record.empty(); record = ring_.front()) {
      any = true;
      take(record);
      ring_.pop();
      flush_what_waits();
    }
    return any;
  }

  bool file_is_idle() const { return !file_ || file_->idle(); }

  void flush_what_waits() {
    if (file_is_idle() || steady_clock::now() < retry_) return;
    retry_ = told(file_->write()) ? steady_clock::now() + try_again_after : steady_clock::time_point{};
  }

  /// Keeps what the disk said, for whoever asks; returns whether it is in trouble.
  bool told(const std::error_code& error) {
    trouble_ = error.value();
    if (error && first_trouble_.empty()) first_trouble_ = error.message();
    return static_cast<bool>(error);
  }

  /// At the end: what never got out is missing.
  void give_up() {
    const PieceAccount waited = file_->give_up();
    std::uint64_t records = waited.records + account_.records;
    ticks_ -= waited.ticks + account_.ticks;
    for (auto record = ring_.front(); !record.empty(); record = ring_.front()) {
      // What had been refused is counted already.
      if (Unpacker(record).get<What>() != What::lost) ++records;
      ring_.pop();
    }
    lost_.fetch_add(records, std::memory_order_relaxed);
    text_.clear();
    account_ = {};
    lines_.restart();
  }

  void tell_lost(std::uint64_t records) {
    if (records == 0) return;
    account_.lost += records;
    text_ += lost_line(records) + "\n";
  }

  void take(std::span<const std::byte> record) {
    Unpacker from(record);
    switch (from.get<What>()) {
      case What::tick: return take_tick(tick_.read(from));
      case What::calibrate: {
        const auto slot = from.get<SlotId>();
        return take_line({0, index(slot)}, calibrate_line(slot, unpack_calibration(from)));
      }
      case What::seated: {
        const auto handset = from.get<HandsetId>();
        const auto number = from.get<std::size_t>();
        if (options_.device) take_line({1, index(handset)}, seated_line(rig_, handset, options_.device(number)));
        return;
      }
      case What::lost: return tell_lost(from.get<std::uint64_t>());
    }
  }

  void take_line(std::pair<int, std::size_t> about, std::string line) {
    ++account_.records;
    text_ += line + "\n";
    if (last_) standing_[about] = std::move(line);
  }

  void take_tick(const TickRecord& tick) {
    if (text_.empty()) piece_began_ = tick.now;
    state_.tick(tick);
    text_ += lines_.line(tick);
    text_ += '\n';
    ++ticks_;
    ++account_.ticks;
    ++account_.records;
    now_ = tick.now;
    bool at_once = false;
    for (const Event& e : tick.events) {
      if (e.kind != Event::Kind::state) continue;
      at_once = at_once || e.state == State::stopping || e.state == State::tripped;
      if (e.state == State::tripped) trip();
    }
    if (at_once || tick.now - piece_began_ >= flush_every || text_.size() >= long_piece) end_piece(false);
    if (at_once && file_ && tripped_ && !told(file_->write())) told(file_->sync());
    if (last_ && file_ && tick.now >= write_until_) close_last_minute();
  }

  void trip() {
    tripped_ = true;
    if (!last_) return;
    write_until_ = now_ + last_->after;
    if (!file_) begin_last_minute();
  }

  void end_piece_if_any() {
    if (!text_.empty() && file_is_idle()) end_piece(false);
  }

  /// Text becomes a piece, which waits for the disk or is kept.
  void end_piece(bool closed) {
    flushed_ = steady_clock::now();
    if (now_ - whole_at_ >= whole_every) {
      whole_at_ = now_;
      text_ += state_.line() + "\n";
      if (file_ && file_->idle()) told(file_->sync());
    }
    text_ += check_line(account_.ticks, text_, lines_.sums().axes()) + "\n";
    lines_.restart();
    const PieceAccount account = std::exchange(account_, {});
    if (file_) {
      file_->add(frame_of(text_), tripped_, closed, account);
    } else {
      kept_.push_back({now_, frame_of(text_), account});
      while (now_ - kept_.front().until > last_->before) kept_.pop_front();
    }
    text_.clear();
  }

  /// The head is a piece of its own.
  void begin(Outputs outputs) {
    text_ = header_line(rig_, this_build(), now_utc(), outputs) + "\n";
    for (const auto& [about, line] : standing_) text_ += line + "\n";
    text_ += check_line(0, text_, {}) + "\n";
    file_->add(frame_of(text_), tripped_, false, {});
    text_.clear();
  }

  void begin_last_minute() {
    try {
      const std::string path = last_->path();
      file_.emplace(path, false, options_.before_write);
      std::string text = std::exchange(text_, {});
      begin(Outputs::told);
      for (Kept& piece : kept_) file_->add(std::move(piece.frame), tripped_, false, piece.account);
      kept_.clear();
      text_ = std::move(text);
      const std::lock_guard lock(written_mutex_);
      written_.push_back(path);
    } catch (const std::system_error& error) {
      told(error.code());
    }
  }

  void close_last_minute() {
    if (!last_ || !file_) return;
    text_ +=
        json_line({{"closed", "The last minute before a zone tripped, and what followed"}, {"lost", lost()}}) + "\n";
    end_piece(true);
    if (!told(file_->write())) told(file_->sync());
    if (!file_->idle()) file_->give_up();
    bytes_ += file_->bytes();
    file_.reset();
    tripped_ = false;
  }

  const Rig& rig_;
  Options options_;
  std::optional<LastMinute> last_;
  RecordRing ring_;
  std::uint64_t refused_ = 0;  // the engine's thread: what the ring did not take since
  std::atomic<std::uint64_t> lost_{0};
  std::atomic<int> trouble_{0};
  std::atomic<bool> ending_{false};
  mutable std::mutex written_mutex_;
  std::vector<std::string> written_;

  // The writer's thread alone.
  struct Kept {
    Time until;
    std::string frame;
    PieceAccount account;
  };
  TickLines lines_;
  RunState state_;
  UnpackedTick tick_;
  std::optional<PieceFile> file_;
  std::string text_, first_trouble_;
  std::deque<Kept> kept_;
  std::map<std::pair<int, std::size_t>, std::string> standing_;  // calibrations and devices that are in force
  Time now_{}, piece_began_{}, whole_at_{}, write_until_{};
  steady_clock::time_point flushed_ = steady_clock::now(), retry_{};  // the disk is asked again then
  bool tripped_ = false;
  PieceAccount account_;  // of what is in text_
  std::uint64_t ticks_ = 0, bytes_ = 0;
  std::thread thread_;
};

LogbookWriter::LogbookWriter(const Rig& rig, const std::string& path) : LogbookWriter(rig, path, Options()) {}
LogbookWriter::LogbookWriter(const Rig& rig, const std::string& path, Options options)
    : work_(std::make_unique<Work>(rig, path, std::move(options))) {}
LogbookWriter::LogbookWriter(const Rig& rig, LastMinute last, Options options)
    : work_(std::make_unique<Work>(rig, std::move(last), std::move(options))) {}
LogbookWriter::~LogbookWriter() = default;

void LogbookWriter::tick(const TickRecord& record) noexcept { work_->tick(record); }
void LogbookWriter::calibrate(SlotId slot, const Calibration& calibration) noexcept {
  work_->calibrate(slot, calibration);
}
void LogbookWriter::seated(HandsetId handset, std::size_t number) noexcept { work_->seated(handset, number); }
std::uint64_t LogbookWriter::lost() const noexcept { return work_->lost(); }
std::error_code LogbookWriter::trouble() const noexcept { return work_->trouble(); }
std::vector<std::string> LogbookWriter::written() const { return work_->written(); }
LogbookWriter::Closed LogbookWriter::close(const std::string& account) { return work_->close(account); }

}  // namespace gyrax
