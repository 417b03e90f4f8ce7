// with_hands SCRIPT COMMAND...: runs a command that sees made-up devices, moved by a script (support/hand_script.hpp),
// on a computer that has none. For pictures and for trying the tool by hand.
#include "mock_device.hpp"

#include "support/hand_script.hpp"

#include <sys/wait.h>
#include <unistd.h>
#include <csignal>
#include <cstdio>
#include <cstdlib>
#include <fstream>

namespace {

using namespace gyrax;

class Mocked final : public test::MadeUp {
 public:
  Mocked(test::Testbed& bed, int number, Device device) : mock_(bed, number, std::move(device)) { mock_.plug(); }
  void send(std::uint16_t type, std::uint16_t code, int value) override { mock_.send({{0, type, code, value}}); }

 private:
  test::MockDevice mock_;
};

}  // namespace

int main(int argc, char** argv) {
  if (argc < 3) return 2;
  test::Testbed bed;
  ::setenv("LD_PRELOAD", "libumockdev-preload.so.0", 1);
  const pid_t child = ::fork();
  if (child == 0) {
    ::execvp(argv[2], argv + 2);
    ::_exit(127);
  }
  // The command alone speaks to the terminal.
  if (std::freopen("/dev/null", "w", stdout) == nullptr) return 1;
  int number = 5;
  std::ifstream script(argv[1]);
  test::HandScript hands([&](const Device& device) { return std::make_unique<Mocked>(bed, number++, device); });
  hands.run(script);
  int status = 0;
  ::kill(child, SIGTERM);
  ::waitpid(child, &status, 0);
  return WEXITSTATUS(status);
}
