// abuse TOOL DEMO [TRIES] [SEED]: the tool as people and machines mistreat it. Each try takes a verb, a file that may
// be of any kind or damaged, ends that are closed, full or stalled, limits, and a signal at a random moment. None may
// end in a crash, a hang, a lost or damaged file, or a machine that was not stopped. Says how many tries there were;
// exit code 1 with the first that went wrong.
#include <gyrax/files/text_file.hpp>
#include <gyrax/logbook/pieces.hpp>

#include <fmt/format.h>

#include <fcntl.h>
#include <sys/resource.h>
#include <sys/stat.h>
#include <sys/wait.h>
#include <unistd.h>
#include <algorithm>
#include <atomic>
#include <cerrno>
#include <chrono>
#include <csignal>
#include <filesystem>
#include <map>
#include <mutex>
#include <random>
#include <string>
#include <thread>
#include <vector>

namespace fs = std::filesystem;
using namespace std::chrono_literals;

namespace {

constexpr auto longest = 60s;  // on a busy machine; nothing here takes more than two
constexpr std::size_t large = 1u << 28;

std::string tool;

/// The files that verbs are given: what they want, and everything else.
struct Inputs {
  fs::path folder;
  std::vector<std::string> any;  // by path
  std::string rig, session, track, logbook, cut, damaged;
  std::map<std::string, std::string> before;

  Inputs(const fs::path& place, const fs::path& demo) : folder(place) {
    fs::create_directories(folder);
    for (const auto& entry : fs::directory_iterator(demo))
      if (entry.is_regular_file()) fs::copy_file(entry.path(), folder / entry.path().filename());
    rig = put("bench.toml"), session = put("session.toml"), track = put("pad.evemu");
    const std::string text = gyrax::read_text(rig, large).text, events = gyrax::read_text(track, large).text;
    make("empty", "");
    make("half.toml", text.substr(0, text.size() / 2));
    make("half.evemu", events.substr(0, events.size() / 2));
    make("nul.toml", std::string("gyrax = 1\n\0\0", 12));
    make("utf16.toml", std::string("\xff\xfeg\0y\0r\0a\0x\0", 12));
    make("slips.toml", [&] {
      std::string wrong = text;
      for (std::size_t at = wrong.find("speed"); at != std::string::npos; at = wrong.find("speed", at + 5))
        wrong[at] = 'x';
      return wrong;
    }());
    make("long.toml", "title = \"" + std::string(900'000, 'x') + "\"");
    make("too_long.toml", std::string(3'000'000, '#'));
    make("noise", [] {
      std::mt19937 random(1);
      std::string bytes(5000, ' ');
      for (char& c : bytes) c = static_cast<char>(random());
      return bytes;
    }());
    make("evil.toml", "gyrax = 1\ntitle = \"`kill $PPID` \\u001b[2J\"\n" + text.substr(text.find("\n# ")));
    ::mkfifo((folder / "fifo").c_str(), 0600);
    fs::create_symlink("nowhere", folder / "dangling");
    any.insert(any.end(), {(folder / "fifo").string(), (folder / "dangling").string(), (folder / "missing").string(),
                           folder.string(), "/dev/zero", "/dev/null", "/proc/self/mem", ""});
  }
  std::string put(const std::string& name) {
    any.push_back((folder / name).string());
    return any.back();
  }
  void make(const std::string& name, const std::string& text) { gyrax::write_text(put(name), text); }
  /// A run's logbook, and some that are cut or damaged, in the head and behind it.
  void add_logbook() {
    logbook = put("run.jsonl.zst");
    const std::string text = gyrax::read_text(logbook, large).text;
    make("headless.jsonl.zst", text.substr(0, 1000));
    make("cut.jsonl.zst", text.substr(0, text.size() - 400));
    cut = any.back();
    std::string flipped = text;
    flipped[flipped.size() - 400] ^= 1;
    make("damaged.jsonl.zst", flipped);
    damaged = any.back();
  }
  void remember() {
    for (const auto& entry : fs::directory_iterator(folder))
      if (entry.is_regular_file()) before[entry.path().string()] = gyrax::read_text(entry.path().string(), large).text;
  }
  /// The first file that is not what it was; empty: none.
  std::string harmed() const {
    for (const auto& [path, text] : before)
      if (gyrax::read_text(path, large).text != text) return path;
    return {};
  }
};

enum class End { file, full, closed, gone, stalled };
constexpr const char* end_names[] = {"file", "full", "closed", "gone", "stalled"};

struct Try {
  std::vector<std::string> words;
  bool live = false;
  End out = End::file, error = End::file;
  int signal = 0, after_ms = 0;
  bool limited = false;  // files may not grow beyond some kilobytes
  bool nobody = false;   // as a user who may write nowhere
  std::string said() const {
    std::string text;
    for (const std::string& word : words) text += word + " ";
    return fmt::format("{}(out {}, errors {}, signal {} after {} ms{}{})", text, end_names[static_cast<int>(out)],
                       end_names[static_cast<int>(error)], signal, after_ms, limited ? ", limited" : "",
                       nobody ? ", as nobody" : "");
  }
};

class Child {
 public:
  Child(const Try& one, const fs::path& folder) : one_(one) {
    for (const auto& [end, number] : {std::pair{one.out, 1}, {one.error, 2}}) {
      int ends[2] = {-1, -1};
      if ((end == End::gone || end == End::stalled) && ::pipe2(ends, O_CLOEXEC) == 0) {
        ::fcntl(ends[1], F_SETPIPE_SZ, 4096);
        kept_.push_back(ends[0]);
        if (end == End::gone) {
          ::close(ends[0]);
          kept_.pop_back();
        }
        given_[number - 1] = ends[1];
      }
      if (end == End::full) given_[number - 1] = ::open("/dev/full", O_WRONLY | O_CLOEXEC);
      if (end == End::file)
        given_[number - 1] =
            ::open((folder / (number == 1 ? "stdout" : "stderr")).c_str(), O_WRONLY | O_CREAT | O_CLOEXEC, 0666);
    }
    std::vector<std::string> words = one.words;
    std::vector<char*> argv{tool.data()};
    for (std::string& word : words) argv.push_back(word.data());
    argv.push_back(nullptr);
    const std::string state = "XDG_STATE_HOME=" + folder.string();
    pid_ = ::fork();
    if (pid_ != 0) {
      for (const int fd : given_)
        if (fd >= 0) ::close(fd);
      return;
    }
    const int nothing = ::open("/dev/null", O_RDONLY);
    ::dup2(nothing, 0);
    for (const int number : {1, 2}) given_[number - 1] >= 0 ? ::dup2(given_[number - 1], number) : ::close(number);
    ::setenv("XDG_STATE_HOME", folder.c_str(), 1);
    if (one.limited) {
      const rlimit limit{16'384, 16'384};
      ::setrlimit(RLIMIT_FSIZE, &limit);
    }
    if (one.nobody && ::geteuid() == 0 && ::setuid(65534) != 0) ::_exit(97);
    ::execv(argv[0], argv.data());
    ::_exit(98);
  }
  ~Child() {
    for (const int fd : kept_) ::close(fd);
  }
  Child(const Child&) = delete;
  Child& operator=(const Child&) = delete;

  /// Its status as of waitpid; -1 where it had to be killed because it did not end.
  int wait() {
    const auto begin = std::chrono::steady_clock::now();
    bool told = one_.signal == 0, continued = one_.signal != SIGTSTP;
    for (int status = 0;;) {
      if (::waitpid(pid_, &status, WNOHANG) == pid_) return status;
      const auto passed = std::chrono::steady_clock::now() - begin;
      if (!told && passed >= std::chrono::milliseconds(one_.after_ms)) told = ::kill(pid_, one_.signal) == 0;
      if (!continued && passed >= std::chrono::milliseconds(one_.after_ms + 400)) {
        ::kill(pid_, SIGCONT);
        ::kill(pid_, SIGTERM);
        continued = true;
      }
      if (passed > longest) {
        ::kill(pid_, SIGKILL);
        ::waitpid(pid_, &status, 0);
        return -1;
      }
      std::this_thread::sleep_for(1ms);
    }
  }

 private:
  Try one_;
  pid_t pid_ = -1;
  int given_[2] = {-1, -1};
  std::vector<int> kept_;
};

/// What a try draws, from its own seed.
class Draw {
 public:
  Draw(const Inputs& inputs, const fs::path& folder, std::uint32_t seed)
      : in_(inputs), folder_(folder), random_(seed) {}

  Try one() {
    Try t;
    const int verb = below(16);
    if (verb < 2)
      t.words = {"check", input(in_.rig)};
    else if (verb < 5)
      t.words = {"rehearse", input(in_.rig), input(in_.session)};
    else if (verb < 7)
      t.words = {"calibrate", "--track", input(in_.track)};
    else if (verb < 9)
      t.words = {"logbook", input(one_of({in_.logbook, in_.cut, in_.damaged}))};
    else if (verb == 9)
      t.words = {"demo", "--out", output("demo", "/proc/nothing")};
    else if (verb == 10)
      t.words = {"handsets"};
    else if (verb == 11)
      t.words = {"run", input(in_.rig), "--for", "0.1", "--plain", "--no-real-time"};
    else
      t = live();
    if (verb >= 2 && verb < 9 && maybe(2)) {
      const bool measures = t.words[0] == "calibrate";
      const std::string own = t.words.back();
      t.words.insert(t.words.end(), {measures   ? "--out"
                                     : maybe(2) ? "--csv"
                                                : "--plot",
                                     output(measures   ? "out.toml"
                                            : maybe(2) ? "out.csv"
                                                       : "out.png",
                                            own)});
    }
    if (verb < 9 && maybe(4)) t.words.push_back("--json");
    if (maybe(6)) t.words.push_back("--replace");
    if (maybe(12)) t.words.push_back(one_of<std::string>({"--jsno", "--span", "\x1b[2J", "--for=nan", "-x"}));
    t.out = static_cast<End>(maybe(3) ? below(t.live ? 5 : 4) : 0);
    t.error = static_cast<End>(maybe(5) ? below(4) : 0);
    if (!t.live && maybe(5)) t.signal = one_of({SIGTERM, SIGINT, SIGKILL, SIGHUP}), t.after_ms = below(60);
    t.limited = maybe(8);
    t.nobody = maybe(12);
    return t;
  }

 private:
  int below(int most) { return static_cast<int>(random_() % static_cast<unsigned>(most)); }
  template <class T>
  T one_of(std::initializer_list<T> these) {
    return *(these.begin() + below(static_cast<int>(these.size())));
  }
  bool maybe(int one_in) { return below(one_in) == 0; }
  std::string input(const std::string& wanted) {
    return maybe(2) ? wanted : in_.any[static_cast<std::size_t>(below(static_cast<int>(in_.any.size())))];
  }
  /// Where something is written: a new file, an old one, what the verb reads, or nowhere.
  std::string output(const std::string& name, const std::string& own) {
    switch (below(8)) {
      case 0: return "/dev/full";
      case 1: return (folder_ / "none" / name).string();
      case 2: return own;
      case 3: gyrax::write_text((folder_ / name).string(), "old"); break;
      case 4: return "-";
      default: break;
    }
    return (folder_ / name).string();
  }
  Try live() {
    Try t;
    t.live = true;
    t.words = {"run",
               in_.rig,
               "--hands",
               in_.session,
               "--no-real-time",
               "--logbook",
               (folder_ / "run.jsonl.zst").string(),
               "--for",
               maybe(3) ? "0.3" : "20",
               maybe(2) ? "--json" : "--plain"};
    t.signal = one_of({SIGTERM, SIGINT, SIGHUP, SIGQUIT, SIGKILL, SIGTSTP});
    t.after_ms = below(800);
    return t;
  }

  const Inputs& in_;
  const fs::path folder_;
  std::mt19937 random_;
};

/// What is wrong with how a try ended; empty: nothing.
std::string judge(const Try& t, int status, const fs::path& folder, const Inputs& inputs) {
  if (status == -1) return "it did not end";
  const int by = WIFSIGNALED(status) ? WTERMSIG(status) : 0, code = WIFEXITED(status) ? WEXITSTATUS(status) : -1;
  // A live run is never ended by a signal that it can take, once it has begun; a verb that computes may be.
  const bool may_be = by == SIGKILL || !t.live || !fs::exists(folder / "run.jsonl.zst");
  const int sent = t.signal == SIGTSTP ? SIGTERM : t.signal;  // what it is told once it goes on again
  if (by != 0 && !(by == sent && may_be)) return fmt::format("signal {} ended it", by);
  if (by == 0 && (code < 0 || code > 6)) return fmt::format("exit code {}", code);
  if (code == 3 && t.out == End::file && t.error == End::file && !t.limited && !t.nobody) {
    const std::string said = gyrax::read_text((folder / "stderr").string(), large).text;
    if (said.empty()) return "exit code 3, and not a word why";
  }
  if (const std::string harmed = inputs.harmed(); !harmed.empty()) return harmed + " is not what it was";
  for (const auto& entry : fs::recursive_directory_iterator(folder)) {
    if (!entry.is_regular_file()) continue;
    const std::string name = entry.path().filename().string(),
                      text = gyrax::read_text(entry.path().string(), large).text;
    if (name.find(".new") != std::string::npos && by != SIGKILL) return name + " was left behind";
    if (text == "old") continue;
    if (name == "out.csv" && !(text.starts_with("t_s,") && text.ends_with("\n"))) return "half a table";
    if (name == "out.png" && text.starts_with("\x89PNG") && text.find("IEND") == std::string::npos)
      return "half a picture";
    if (name != "run.jsonl.zst" || by == SIGKILL || t.limited) continue;
    if (text.empty()) return "an empty logbook";
    const auto piece = gyrax::last_piece(entry.path().string());
    if (!piece || piece->end != gyrax::LogEnd::complete) return "a logbook that is not closed";
    // The last commands of every axis: off, whoever told the run to end.
    Try replay;
    replay.words = {"logbook", entry.path().string(), "--csv", "-"};
    fs::create_directories(folder / "replay");
    const int again = Child(replay, folder / "replay").wait();
    if (!WIFEXITED(again) || WEXITSTATUS(again) != 0) return "its logbook does not replay";
    const std::string table = gyrax::read_text((folder / "replay" / "stdout").string(), large).text;
    const std::size_t last = table.rfind('\n', table.size() - 2);
    if (table.find(",stowed,", last) == std::string::npos && table.find(",tripped,", last) == std::string::npos)
      return "the machine was not stopped at the end";
  }
  return {};
}

}  // namespace

int main(int argc, char** argv) {
  if (argc < 3) return 2;
  tool = fs::absolute(argv[1]).string();
  const int tries = argc > 3 ? std::stoi(argv[3]) : 2000;
  const auto seed = static_cast<std::uint32_t>(argc > 4 ? std::stoul(argv[4]) : 20261126);
  std::string pattern = (fs::temp_directory_path() / "gyrax-abuse-XXXXXX").string();
  if (::mkdtemp(pattern.data()) == nullptr) return 3;
  const fs::path whole = pattern;
  fs::permissions(whole, fs::perms(0755));
  Inputs inputs(whole / "inputs", argv[2]);
  {
    Try first;
    first.words = {"run", inputs.rig, "--hands",        inputs.session, "--for",
                   "2.5", "--plain",  "--no-real-time", "--logbook",    (inputs.folder / "run.jsonl.zst").string()};
    Child(first, whole).wait();
    inputs.add_logbook();
    inputs.remember();
  }
  std::atomic<int> next{0}, live{0};
  std::mutex lock;
  std::string wrong;
  std::map<int, int> codes;
  // Several at once, as on a machine where others work too.
  std::vector<std::thread> threads;
  for (int thread = 0; thread < 6; ++thread)
    threads.emplace_back([&] {
      for (int i = next++; i < tries; i = next++) {
        const fs::path folder = whole / std::to_string(i);
        fs::create_directories(folder);
        fs::permissions(folder, fs::perms(0755));
        const Try one = Draw(inputs, folder, seed + static_cast<std::uint32_t>(i)).one();
        const int status = Child(one, folder).wait();
        const std::string why = judge(one, status, folder, inputs);
        const std::lock_guard held(lock);
        live += one.live ? 1 : 0;
        ++codes[WIFEXITED(status) ? WEXITSTATUS(status) : 1000 + WTERMSIG(status)];
        if (!why.empty() && wrong.empty()) {
          wrong = fmt::format("try {} (seed {}): {}\n  gyrax {}", i, seed, why, one.said());
          next = tries;
        }
        std::error_code ignored;
        if (why.empty()) fs::remove_all(folder, ignored);
      }
    });
  for (std::thread& thread : threads) thread.join();
  std::string ends;
  for (const auto& [code, count] : codes)
    ends += code < 1000 ? fmt::format("; {} with exit code {}", count, code)
                        : fmt::format("; {} by signal {}", count, code - 1000);
  if (!wrong.empty()) {
    fmt::print("{}\n  what it left: {}\n", wrong, whole.string());
    return 1;
  }
  fmt::print("{} tries, {} of them live{}; none crashed, hung, harmed a file or left a machine moving\n", tries,
             live.load(), ends);
  fs::remove_all(whole);
}
