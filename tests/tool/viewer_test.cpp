// Whoever looks at a live run cannot hold the machine: pipes that nobody reads, terminals that stand still or go away,
// signals. Each run's logbook has to be whole, to say how it ended, and to replay to the last bit.
#include <gyrax/files/text_file.hpp>

#include <doctest/doctest.h>
#include "support/logbooks.hpp"

#include <fcntl.h>
#include <poll.h>
#include <pty.h>
#include <sys/wait.h>
#include <unistd.h>
#include <array>
#include <cerrno>
#include <chrono>
#include <csignal>
#include <filesystem>
#include <fstream>
#include <functional>
#include <string>
#include <thread>
#include <vector>

namespace fs = std::filesystem;
using namespace std::chrono_literals;

namespace {

constexpr auto patience = 30s;  // of a busy machine

/// The tool as a child, its standard files as a case wants them.
class Child {
 public:
  enum class On { terminal, background_of_terminal, pipe };
  Child(On on, const std::string& arguments, const char* term = "xterm") {
    std::vector<std::string> words{GYRAX_TOOL_PATH};
    for (std::size_t at = 0; at < arguments.size();) {
      const std::size_t end = std::min(arguments.find(' ', at), arguments.size());
      words.push_back(arguments.substr(at, end - at));
      at = end + 1;
    }
    int ends[2] = {-1, -1};
    const winsize size{30, 100, 0, 0};
    if (on == On::pipe) {
      REQUIRE(::pipe2(ends, O_CLOEXEC) == 0);
      ::fcntl(ends[1], F_SETPIPE_SZ, 4096);
      pid_ = ::fork();
    } else {
      pid_ = ::forkpty(&out_, nullptr, nullptr, &size);
    }
    REQUIRE(pid_ >= 0);
    if (pid_ == 0) {
      if (on == On::pipe) ::dup2(ends[1], STDOUT_FILENO);
      if (on == On::background_of_terminal) {
        // A group of its own that does not have the terminal; whoever has it lives on.
        if (const pid_t job = ::fork(); job != 0) {
          ::setpgid(job, job);
          int status = 0;
          while (::waitpid(job, &status, 0) < 0 && errno == EINTR) continue;
          ::_exit(WIFEXITED(status) ? WEXITSTATUS(status) : 99);
        }
        ::setpgid(0, 0);
      }
      ::setenv("TERM", term, 1);
      std::vector<char*> argv;
      for (std::string& word : words) argv.push_back(word.data());
      argv.push_back(nullptr);
      ::execv(argv[0], argv.data());
      ::_exit(98);
    }
    if (on != On::pipe) return;
    ::close(ends[1]);
    out_ = ends[0];
  }
  ~Child() {
    if (pid_ > 0) {
      ::kill(pid_, SIGKILL);
      ::waitpid(pid_, nullptr, 0);
    }
    hang_up();
  }
  Child(const Child&) = delete;
  Child& operator=(const Child&) = delete;

  void signal(int one) const { ::kill(pid_, one); }
  void type(const std::string& keys) const {
    REQUIRE(::write(out_, keys.data(), keys.size()) == static_cast<ssize_t>(keys.size()));
  }
  void hang_up() {
    if (out_ >= 0) ::close(out_);
    out_ = -1;
  }
  /// Reads what comes until it contains `wanted`.
  bool shows(const std::string& wanted) {
    return until([&] {
      read_some();
      return seen_.find(wanted) != std::string::npos;
    });
  }
  const std::string& seen() const { return seen_; }
  /// Its exit code; -1 if it does not end, and then it is killed.
  int exit(bool reading) {
    int code = -1;
    until([&] {
      if (reading) read_some();
      int status = 0;
      if (::waitpid(pid_, &status, WNOHANG) != pid_) return false;
      code = WIFEXITED(status) ? WEXITSTATUS(status) : 1000 + WTERMSIG(status);
      pid_ = -1;
      return true;
    });
    if (reading) read_some();
    return code;
  }
  bool is_suspended() {
    return until([&] {
      read_some();
      int status = 0;
      return ::waitpid(pid_, &status, WNOHANG | WUNTRACED) == pid_ && WIFSTOPPED(status);
    });
  }
  /// The signals that it ignores now, a bit each. What is pending of an ignored one is lost, also where it is blocked.
  std::uint64_t ignored() const {
    std::ifstream status("/proc/" + std::to_string(pid_) + "/status");
    for (std::string line; std::getline(status, line);)
      if (line.starts_with("SigIgn:")) return std::stoull(line.substr(7), nullptr, 16);
    FAIL("it does not say what it ignores");
    return 0;
  }
  static bool until(const std::function<bool()>& holds) {
    const auto begin = std::chrono::steady_clock::now();
    while (std::chrono::steady_clock::now() - begin < patience) {
      if (holds()) return true;
      std::this_thread::sleep_for(2ms);
    }
    return false;
  }

 private:
  void read_some() {
    if (out_ < 0) return;
    std::array<char, 4096> some;
    for (pollfd wait{out_, POLLIN, 0}; ::poll(&wait, 1, 0) > 0;) {
      const ssize_t got = ::read(out_, some.data(), some.size());
      if (got <= 0) return;
      seen_.append(some.data(), static_cast<std::size_t>(got));
    }
  }
  pid_t pid_ = -1;
  int out_ = -1;
  std::string seen_;
};

struct Logbook {
  std::string path;
  Logbook() {
    static int number = 0;
    path = (fs::temp_directory_path() /
            ("gyrax-viewer-" + std::to_string(::getpid()) + "-" + std::to_string(++number) + ".jsonl.zst"))
               .string();
    fs::remove(path);
  }
  ~Logbook() { fs::remove(path); }
  /// It is under way: a second is a piece.
  bool begins(std::uint32_t pieces = 1) const {
    return Child::until([this, pieces] {
      const auto last = gyrax::last_piece(path);
      return last && last->label.number >= pieces;
    });
  }
  /// Whole, and it says this of its end.
  void ended(const std::string& how) const {
    const std::string text = gyrax::test::unpacked(gyrax::read_text(path, 1u << 28).text);
    const std::size_t last = text.rfind("\n{\"closed\"");
    REQUIRE(last != std::string::npos);
    CAPTURE(text.substr(last));
    CHECK(text.find("(" + how + ")", last) != std::string::npos);
    Child replay(Child::On::pipe, "logbook " + path);
    CHECK(replay.exit(true) == 0);
    CHECK(replay.seen().find("came out the same, to the last bit") != std::string::npos);
  }
};

std::string run_of(const Logbook& log, const std::string& more = "") {
  return "run demo/bench.toml --hands demo/session.toml --no-real-time --logbook " + log.path + more;
}

}  // namespace

TEST_CASE(
    "A pipe that nobody reads: signals and --for end the run all the same, and the exit code says what was lost") {
  for (const bool signalled : {true, false}) {
    CAPTURE(signalled);
    const Logbook log;
    Child child(Child::On::pipe, run_of(log, signalled ? " --json" : " --json --for 2"));
    REQUIRE(log.begins(signalled ? 3 : 1));
    if (signalled) child.signal(SIGTERM);
    CHECK(child.exit(false) == 3);
    log.ended(signalled ? "SIGTERM" : "its time was over");
  }
}

TEST_CASE("A reader that goes away ends nothing") {
  const Logbook log;
  Child child(Child::On::pipe, run_of(log, " --json --for 1.5"));
  child.hang_up();
  CHECK(child.exit(false) == 3);
  log.ended("its time was over");
}

TEST_CASE("A terminal that stands still (Ctrl-S) takes a key all the same, and one that nobody reads ends by signal") {
  for (const bool key : {true, false}) {
    CAPTURE(key);
    const Logbook log;
    Child child(Child::On::terminal, run_of(log));
    REQUIRE(child.shows("Bench for"));
    if (key) child.type("\x13");
    REQUIRE(log.begins());
    if (key)
      child.type("q");
    else
      child.signal(SIGINT);
    const int code = child.exit(false);
    // What nobody reads may still find room in the terminal's own memory; what stands still takes nothing.
    CHECK((code == 3 || (!key && code == 0)));
    log.ended(key ? "the key q" : "SIGINT");
  }
}

TEST_CASE("A window that is closed, and Ctrl-\\, are controlled stops; q leaves the terminal as it was") {
  for (const std::string how : {"SIGHUP", "SIGQUIT", "the key q"}) {
    CAPTURE(how);
    const Logbook log;
    Child child(Child::On::terminal, run_of(log));
    REQUIRE(child.shows("Bench for"));
    REQUIRE(log.begins());
    if (how == "SIGHUP") child.hang_up();
    if (how == "SIGQUIT") child.type("\x1c");
    if (how == "the key q") child.type("q");
    CHECK(child.exit(how != "SIGHUP") == (how == "SIGHUP" ? 3 : 0));
    log.ended(how);
    if (how == "the key q") CHECK(child.seen().find("Ended after") > child.seen().rfind("\x1b[?1049l"));
  }
}

TEST_CASE("Ctrl-Z stops, then suspends; it comes back stowed, with its screen") {
  const Logbook log;
  Child child(Child::On::terminal, run_of(log));
  REQUIRE(child.shows("Bench for"));
  REQUIRE(log.begins());
  child.type("\x1a");
  REQUIRE(child.is_suspended());
  CHECK(child.seen().find("\x1b[?1049l") != std::string::npos);
  const std::string before = gyrax::read_text(log.path, 1u << 28).text;
  std::this_thread::sleep_for(50ms);
  CHECK(gyrax::read_text(log.path, 1u << 28).text == before);
  child.signal(SIGCONT);
  REQUIRE(Child::until([&] { return gyrax::read_text(log.path, 1u << 28).text.size() > before.size() + 20'000; }));
  child.type("q");
  CHECK(child.exit(true) == 0);
  log.ended("the key q");
}

TEST_CASE("While the screen is drawn no signal is lost") {
  const Logbook log;
  Child child(Child::On::terminal, run_of(log));
  REQUIRE(child.shows("Bench for"));
  std::uint64_t ignored = 0;
  for (int i = 0; i < 20'000; ++i) ignored |= child.ignored();
  for (const int one : {SIGTSTP, SIGINT, SIGTERM, SIGHUP, SIGQUIT}) {
    CAPTURE(one);
    CHECK((ignored >> (one - 1) & 1) == 0);
  }
}

TEST_CASE("A terminal that cannot do a screen gets lines, with a word; a job in the background runs") {
  for (const char* term : {"dumb", "no-such-terminal", ""}) {
    CAPTURE(term);
    const Logbook log;
    Child child(Child::On::terminal, run_of(log, " --for 0.5"), term);
    CHECK(child.exit(true) == 0);
    CHECK(child.seen().find("cannot show a screen; lines are told instead") != std::string::npos);
    CHECK(child.seen().find("Ended after") != std::string::npos);
    log.ended("its time was over");
  }
  const Logbook log;
  Child child(Child::On::background_of_terminal, run_of(log, " --for 0.5"));
  CHECK(child.exit(true) == 0);
  log.ended("its time was over");
}

TEST_CASE("Names that differ are shown differently, however narrow their place is") {
  const std::string rig =
      (fs::temp_directory_path() / ("gyrax-names-" + std::to_string(::getpid()) + ".toml")).string();
  std::string text = "gyrax = 1\n";
  for (const char* name : {"camera_carriage_left", "camera_carriage_right", "camera_cardinal_right"})
    text += "[axis." + std::string(name) +
            "]\nunit = \"mm\"\ntravel = [0, 10]\nspeed = 1\naccel = 1\nposition = \"assumed\"\nstart = 0\n";
  text +=
      "[handset.pad]\n[bind]\n\"stick.left.x\" = { jog = \"camera_carriage_left\" }\n\"menu.right\" = \"ready\"\n"
      "\"shoulder.right\" = \"enable\"\n\"face.east\" = \"stop\"\n\"menu.centre\" = \"reset\"\n";
  REQUIRE(!gyrax::write_text(rig, text));
  const Logbook log;
  Child child(Child::On::terminal, "run " + rig + " --no-real-time --for 1 --logbook " + log.path);
  CHECK(child.shows("camer…_left"));
  CHECK(child.shows("camer…right"));
  CHECK(child.shows("camera_ca~2"));
  CHECK(child.exit(true) == 0);
  fs::remove(rig);
}
