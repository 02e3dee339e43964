// Playing from cache: frames of the example "regatta" in the window, in their second round, beside as many pictures of
// the same site drawn with nothing worked out or changed between them.
#include "app/window/main_window.h"
#include "app/window/theme.h"
#include "benchmarks/bench.h"

#include <QApplication>
#include <QSettings>
#include <QStandardPaths>
#include <QThread>

namespace arvesk::bench {
namespace {

constexpr int kFirst = 30;
constexpr int kFrames = 6;

/// The window with the example, every frame of it worked out once.
class Player {
 public:
  Player() {
    m_window.resize(1280, 800);
    m_window.show();
    if (!m_window.openFile(QStringLiteral(ARVESK_SOURCE_DIR "/demo/examples/regatta.arvesk")))
      throw std::runtime_error("the example does not open");
    waitFor([&] { return isThere(); });
    for (const CameraEntry& camera : m_window.model().plan().settings.cameras)
      m_window.site().setCamera(cameraFrom(camera));
    play();
  }
  void play() {
    for (int f = 0; f < kFrames; ++f) {
      m_window.model().setFrame(kFirst + f, true);
      waitFor([&] { return isThere(); });
      show();
    }
  }
  void draw() {
    Camera camera = m_window.site().camera();
    for (int f = 0; f < kFrames; ++f) {
      camera.eye.x += f % 2 == 0 ? 1e-3F : -1e-3F;
      m_window.site().setCamera(camera);
      show();
    }
  }

 private:
  bool isThere() {
    const auto& latest = m_window.service().latest();
    return latest && latest->plan == m_window.model().snapshot() && !m_window.service().isBusy();
  }
  template <typename Done>
  void waitFor(Done done) {
    while (!done()) {
      QApplication::processEvents(QEventLoop::AllEvents, 1);
      QThread::usleep(100);
    }
  }
  /// Comes back with the picture on the screen.
  void show() {
    waitFor([&] { return m_window.site().samplesShown() > 0; });
    m_window.site().repaint();
  }

  MainWindow m_window;
};

QApplication& application() {
  static int count = 1;
  static char name[] = "arvesk-bench";
  static char* arguments[] = {name, nullptr};
  static auto* app = [] {
    if (qEnvironmentVariableIsEmpty("QT_QPA_PLATFORM")) qputenv("QT_QPA_PLATFORM", "offscreen");
    QStandardPaths::setTestModeEnabled(true);
    auto* made = new QApplication(count, arguments);
    Theme::apply(*made, QStringLiteral("paper"));
    return made;
  }();
  return *app;
}
Player& player() {
  (void)application();
  static auto* one = new Player;  // ends with the process: Qt is gone before what is static
  return *one;
}

}  // namespace

void addPlaying() {
  add({"Playing from cache, 6 frames", "drawing alone", false, 2, [] { player().play(); }, [] { player().draw(); }});
}

}  // namespace arvesk::bench
