#include "onlookers.hpp"

#include <gyrax/files/crc32.hpp>
#include <gyrax/files/json_text.hpp>
#include <gyrax/files/json_version.hpp>
#include <gyrax/link/board.hpp>

#include <fmt/format.h>

#include <fcntl.h>
#include <sys/socket.h>
#include <sys/stat.h>
#include <sys/un.h>
#include <unistd.h>

#include <algorithm>
#include <cerrno>
#include <cstdlib>
#include <cstring>
#include <filesystem>
#include <stdexcept>

namespace gyrax::tool {
namespace {

namespace fs = std::filesystem;
using Json = nlohmann::ordered_json;

constexpr std::size_t most_unsent = 1u << 18;  // of one onlooker, who may be slow
constexpr double told_every_s = 0.5;
constexpr const char* wants_frames = "frames\n";

/// Where the sockets are: for this user alone.
fs::path folder() {
  const char* const run = std::getenv("XDG_RUNTIME_DIR");
  return run != nullptr && *run != '\0' ? fs::path(run) / "gyrax"
                                        : fs::path("/tmp") / fmt::format("gyrax-{}", ::getuid());
}

bool is_ours(const fs::path& path) {
  struct stat found {};
  return ::lstat(path.c_str(), &found) == 0 && S_ISDIR(found.st_mode) && found.st_uid == ::getuid();
}

/// Errors: std::runtime_error where it cannot be, or is somebody else's.
void make_folder() {
  const fs::path path = folder();
  fs::create_directories(path.parent_path());
  if (::mkdir(path.c_str(), S_IRWXU) == 0) return;
  if (errno != EEXIST) throw std::runtime_error(fmt::format("{}: {}", path.string(), std::strerror(errno)));
  if (!is_ours(path)) throw std::runtime_error(fmt::format("{} is not a folder of this user", path.string()));
}

/// The same for every rig that names the same wire.
fs::path socket_of(const LinkInfo& link) {
  wire::Place place = wire_place(link);
  if (!place.serial.empty()) place.serial = fs::absolute(place.serial).lexically_normal().string();
  // What takes turns on a wire has one owner each.
  const double address = link.kind == "controller" ? 0 : link.number(link.kind == "modbus" ? "unit" : "address");
  const std::string words = fmt::format("{} {}", place.words(), address);
  return folder() / fmt::format("wire-{:08x}", crc32(words));
}

bool fits(const fs::path& path) { return path.string().size() < sizeof sockaddr_un{}.sun_path; }

sockaddr_un address_of(const fs::path& path) {
  sockaddr_un address{};
  address.sun_family = AF_UNIX;
  const std::string text = path.string();
  if (!fits(path)) throw std::runtime_error(fmt::format("{}: the path is too long for a socket", text));
  std::memcpy(address.sun_path, text.data(), text.size());
  return address;
}

int new_socket() { return ::socket(AF_UNIX, SOCK_STREAM | SOCK_NONBLOCK | SOCK_CLOEXEC, 0); }

int connected_to(const fs::path& path) {
  const sockaddr_un address = address_of(path);
  const int fd = new_socket();
  if (fd >= 0 && ::connect(fd, reinterpret_cast<const sockaddr*>(&address), sizeof address) == 0) return fd;
  if (fd >= 0) ::close(fd);
  return -1;
}

int peer_of(int socket) {
  ucred who{};
  socklen_t size = sizeof who;
  return ::getsockopt(socket, SOL_SOCKET, SO_PEERCRED, &who, &size) == 0 ? who.pid : 0;
}

double ms(Span span) { return to_seconds(span) * 1e3; }

/// What the rig has on a channel; empty: nothing.
std::string on_channel(const LinkInfo& link, std::uint8_t number) {
  for (const auto* list : {&link.axis_channels, &link.switch_channels})
    for (const ChannelInfo& channel : *list)
      if (channel.number == number) return channel.name;
  return {};
}

}  // namespace

std::vector<LinkId> wired_links(const Rig& rig, const std::string& kind) {
  std::vector<LinkId> wired;
  for (std::size_t l = 0; l < rig.links.size(); ++l)
    if (rig.links[l].kind == kind) wired.push_back(id_at<LinkId>(l));
  return wired;
}

Json wire_json(const WireState& state) {
  const LinkInfo& link = state.rig.links[index(state.link)];
  const wire::Place place = wire_place(link);
  const BoardSeen& seen = state.seen;
  Json json{{"gyrax_json", json_version},
            {"t", state.t_s},
            {"link", link.name},
            {"wire", place.words()},
            {"bytes_per_s", place.bytes_per_s()},
            {"address", static_cast<int>(link.number("address"))},
            {"pid", state.pid},
            {"rig", state.rig.path},
            {"answers", !seen.name.empty()},
            {"board", seen.name},
            {"version", seen.version},
            {"longest_frame", seen.longest_frame},
            {"channel_count", seen.channel_count},
            {"sessions", seen.sessions},
            {"round_trips", seen.answers},
            {"round_trip_ms", ms(seen.last_round_trip)},
            {"shortest_ms", ms(seen.shortest_round_trip)},
            {"longest_ms", ms(seen.longest_round_trip)},
            {"sent", seen.sent},
            {"heard", seen.heard},
            {"sent_per_s", seen.sent_per_s},
            {"heard_per_s", seen.heard_per_s},
            {"lost_there", seen.lost_there},
            {"bad_there", seen.bad_there},
            {"late_there", seen.late_there},
            {"refused_there", seen.refused_there},
            {"bad_here", seen.bad_here},
            {"channels", Json::array()}};
  for (const FarChannel& far : seen.channels)
    json["channels"].push_back({{"channel", far.number},
                                {"kind", name_of(far.kind)},
                                {"pin", far.pin},
                                {"drives", on_channel(link, far.number)},
                                {"unit", unit_of(far.kind)},
                                {"low", far.low},
                                {"high", far.high},
                                {"speed", far.speed},
                                {"accel", far.accel},
                                {"lost", words_of(far.kind, far.becomes)},
                                {"position", static_cast<double>(far.position) / 65536},
                                {"known", (far.status & wire::known) != 0},
                                {"powered", (far.status & wire::powered) != 0}});
  return json;
}

Json frame_json(const std::string& link, double t_s, const BoardEar::Heard& heard) {
  return {{"gyrax_json", json_version},
          {"t", t_s},
          {"link", link},
          {"frame", name_of(heard.frame.kind)},
          {"to_board", heard.passed.out},
          {"sequence", heard.frame.sequence},
          {"session", heard.frame.session},
          {"address", heard.frame.address},
          {"bytes", wire::around + heard.frame.payload.size()},
          {"says", heard.words()}};
}

// ---- The program's own side ----

/// A wire that is this program's alone while this lives. Errors: WireTaken where it is another's.
struct Onlookers::Claim {
  Claim(const Rig& rig, LinkId link) : path(socket_of(rig.links[index(link)])) {
    if (const int other = connected_to(path); other >= 0) {
      const int pid = peer_of(other);
      ::close(other);
      throw WireTaken(fmt::format("link {}: process {} has {} already; end that first, or look on with gyrax links {}",
                                  rig.links[index(link)].name, pid, wire_place(rig.links[index(link)]).words(),
                                  rig.path));
    }
    ::unlink(path.c_str());  // of a program that was killed
    const sockaddr_un address = address_of(path);
    listener = new_socket();
    constexpr int waiting = 4;
    if (listener < 0 || ::bind(listener, reinterpret_cast<const sockaddr*>(&address), sizeof address) != 0 ||
        ::listen(listener, waiting) != 0) {
      if (listener >= 0) ::close(listener);
      throw std::runtime_error(fmt::format("{}: {}", path.string(), std::strerror(errno)));
    }
  }
  ~Claim() {
    ::close(listener);
    ::unlink(path.c_str());
  }
  Claim(const Claim&) = delete;
  Claim& operator=(const Claim&) = delete;
  /// Whoever has come since; -1 where nobody has.
  int next() const { return ::accept4(listener, nullptr, nullptr, SOCK_NONBLOCK | SOCK_CLOEXEC); }

  fs::path path;
  int listener = -1;
};

struct Onlookers::Wire {
  struct Onlooker {
    explicit Onlooker(int with) : socket(with) {}
    int socket;
    bool frames = false;
    std::string unsent;
    std::uint64_t left_out = 0;
  };

  Wire(const Rig& rig, LinkId link)
      : rig_(rig),
        link_(link),
        claim_(rig, link),
        ear_(static_cast<std::uint8_t>(rig.links[index(link)].number("address"))) {}
  ~Wire() {
    for (const Onlooker& one : onlookers_) ::close(one.socket);
  }
  Wire(const Wire&) = delete;
  Wire& operator=(const Wire&) = delete;

  void look(double now_s, const std::function<bool(LinkId, Passed&)>& next) {
    for (int fd = claim_.next(); fd >= 0; fd = claim_.next()) {
      onlookers_.emplace_back(fd);
      told_at_s_ = now_s - told_every_s;
    }
    for (Onlooker& one : onlookers_) listen_to(one);
    for (Passed passed; next(link_, passed);)
      ear_.hear(passed, [this](const BoardEar::Heard& heard) { tell_frame(heard); });
    if (now_s - told_at_s_ >= told_every_s) {
      told_at_s_ = now_s;
      if (!onlookers_.empty()) tell(wire_json({rig_, link_, ear_.seen(), now_s, ::getpid()}), false);
    }
    for (Onlooker& one : onlookers_) send(one);
    std::erase_if(onlookers_, [](const Onlooker& one) { return one.socket < 0; });
  }

 private:
  const std::string& name() const { return rig_.links[index(link_)].name; }
  static void leave(Onlooker& one) {
    ::close(one.socket);
    one.socket = -1;
  }
  static void listen_to(Onlooker& one) {
    char words[64];
    const ssize_t got = ::recv(one.socket, words, sizeof words, 0);
    if (got > 0) one.frames = true;
    if (got == 0) leave(one);
  }
  void tell_frame(const BoardEar::Heard& heard) {
    if (std::ranges::any_of(onlookers_, &Onlooker::frames))
      tell(frame_json(name(), to_seconds(heard.passed.at), heard), true);
  }
  void tell(const Json& json, bool is_frame) {
    const std::string line = dumped(json) + "\n";
    for (Onlooker& one : onlookers_) {
      if (is_frame && !one.frames) continue;
      if (one.unsent.size() + line.size() <= most_unsent) {
        one.unsent += line;
      } else {
        ++one.left_out;
      }
    }
  }
  static void send(Onlooker& one) {
    if (one.socket < 0) return;
    while (!one.unsent.empty()) {
      const ssize_t sent = ::send(one.socket, one.unsent.data(), one.unsent.size(), MSG_NOSIGNAL);
      if (sent < 0 && errno != EAGAIN && errno != EINTR) return leave(one);
      if (sent <= 0) return;
      one.unsent.erase(0, static_cast<std::size_t>(sent));
    }
    if (one.left_out == 0) return;
    one.unsent = dumped(Json{{"gyrax_json", json_version}, {"left_out", one.left_out}}) + "\n";
    one.left_out = 0;
  }

  const Rig& rig_;
  LinkId link_;
  Claim claim_;
  BoardEar ear_;
  std::vector<Onlooker> onlookers_;
  double told_at_s_ = -told_every_s;
};

Onlookers::Onlookers(const Rig& rig) : rig_(rig) {
  const std::vector<LinkId> wired = wired_links(rig, "board");
  std::vector<LinkId> claimed = wired_links(rig, "modbus");
  for (const LinkId link : wired_links(rig, "controller")) claimed.push_back(link);
  if (wired.empty() && claimed.empty()) return;
  try {
    make_folder();
    for (const LinkId link : wired) wires_.push_back(std::make_unique<Wire>(rig, link));
    for (const LinkId link : claimed) claims_.push_back(std::make_unique<Claim>(rig, link));
  } catch (const WireTaken&) {
    throw;
  } catch (const std::runtime_error& error) {
    wires_.clear();
    claims_.clear();
    trouble_ = error.what();
  }
}
Onlookers::~Onlookers() = default;

void Onlookers::look(double now_s, const std::function<bool(LinkId, Passed&)>& next) {
  for (const auto& wire : wires_) wire->look(now_s, next);
  // Of a drive or a controller there is nothing to look at but that it is somebody's.
  for (const auto& claim : claims_)
    for (int fd = claim->next(); fd >= 0; fd = claim->next()) ::close(fd);
}

// ---- Another program's side ----

std::optional<OtherProgram> OtherProgram::of(const LinkInfo& link, bool with_frames) {
  const fs::path path = socket_of(link);
  const int fd = fits(path) && is_ours(folder()) ? connected_to(path) : -1;
  if (fd < 0) return std::nullopt;
  if (with_frames) ::send(fd, wants_frames, std::strlen(wants_frames), MSG_NOSIGNAL);
  return OtherProgram(fd, peer_of(fd));
}

OtherProgram::OtherProgram(OtherProgram&& other) noexcept
    : socket_(std::exchange(other.socket_, -1)),
      pid_(other.pid_),
      ended_(other.ended_),
      text_(std::move(other.text_)) {}

OtherProgram::~OtherProgram() {
  if (socket_ >= 0) ::close(socket_);
}

std::vector<std::string> OtherProgram::lines() {
  std::vector<std::string> lines;
  char some[65536];
  for (;;) {
    const ssize_t got = ::recv(socket_, some, sizeof some, 0);
    if (got < 0) break;
    if (got == 0) {
      ended_ = true;
      break;
    }
    text_.append(some, static_cast<std::size_t>(got));
  }
  std::size_t begin = 0;
  for (std::size_t end = text_.find('\n'); end != std::string::npos; end = text_.find('\n', begin)) {
    lines.push_back(text_.substr(begin, end - begin));
    begin = end + 1;
  }
  text_.erase(0, begin);
  return lines;
}

}  // namespace gyrax::tool
