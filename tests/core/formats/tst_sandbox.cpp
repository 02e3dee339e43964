// Readers are shut in: what they may open, and that a file which names others all over the disk gets none of them.
#include "core/base/safe_file.h"
#include "core/formats/sandbox.h"
#include "core/picture/render.h"
#include "tests/support/support.h"

#include <fcntl.h>
#include <sys/socket.h>
#include <sys/wait.h>
#include <unistd.h>

#include <filesystem>

using namespace arvesk;
namespace fs = std::filesystem;

namespace {

/// Runs `what` in a process of its own that is shut in; its result, 0 to 255.
int shutIn(const SandboxPlaces& places, const std::function<int()>& what) {
  const pid_t child = ::fork();
  if (child == 0) {
    enterSandbox(places);
    ::_exit(what());
  }
  int status = 0;
  ::waitpid(child, &status, 0);
  return WIFEXITED(status) ? WEXITSTATUS(status) : 255;
}

bool canOpen(const std::string& path, int flags) {
  const int file = ::open(path.c_str(), flags | O_CLOEXEC, 0600);
  if (file >= 0) ::close(file);
  return file >= 0;
}

bool has(const char* what) { return sandboxName().find(what) != std::string::npos; }

}  // namespace

class TestSandbox : public QObject {
  Q_OBJECT

  QTemporaryDir m_dir;

  fs::path at(const char* name) { return fs::path(m_dir.path().toStdString()) / name; }
  void write(const fs::path& path, const std::string& text) {
    fs::create_directories(path.parent_path());
    QVERIFY(writeWhole(path.string(), text));
  }
  void picture(const fs::path& path) {
    fs::create_directories(path.parent_path());
    Array<std::uint32_t> pixels;
    pixels.assign(16, 0xff3366ccU);
    QVERIFY(writePng(path.string(), pixels, 4, 4));
  }

 private Q_SLOTS:
  void filesAreShut() {
    if (!has("Landlock")) QSKIP("this kernel has no Landlock");
    write(at("in/file"), "a");
    write(at("in/below/file"), "a");
    write(at("out/file"), "a");
    fs::create_directories(at("own"));
    fs::create_symlink("../out/file", at("in/link"));
    const SandboxPlaces places{{at("in").string()}, at("own").string(), {}};
    const auto opens = [&](const char* name, int flags) {
      return shutIn(places, [&] { return canOpen(at(name).string(), flags) ? 1 : 0; });
    };
    QCOMPARE(opens("in/file", O_RDONLY), 1);
    QCOMPARE(opens("in/below/file", O_RDONLY), 1);
    QCOMPARE(opens("out/file", O_RDONLY), 0);
    QCOMPARE(opens("in/link", O_RDONLY), 0);
    QCOMPARE(opens("in/file", O_WRONLY), 0);
    QCOMPARE(opens("in/new", O_WRONLY | O_CREAT), 0);
    QCOMPARE(opens("own/new", O_WRONLY | O_CREAT), 1);
    QCOMPARE(shutIn(places, [] { return canOpen("/etc/passwd", O_RDONLY) ? 1 : 0; }), 0);
    QCOMPARE(shutIn(places, [&] { return ::unlink(at("in/file").c_str()) == 0 ? 1 : 0; }), 0);
  }

  void callsAreShut() {
    if (!has("seccomp")) QSKIP("this kernel has no seccomp");
    const SandboxPlaces places{{}, m_dir.path().toStdString(), {}};
    QCOMPARE(shutIn(places, [] { return ::socket(AF_INET, SOCK_STREAM, 0) < 0 && errno == EPERM ? 1 : 0; }), 1);
    QCOMPARE(shutIn(places, [] { return ::socket(AF_UNIX, SOCK_STREAM, 0) < 0 && errno == EPERM ? 1 : 0; }), 1);
    QCOMPARE(shutIn(places,
                    [] {
                      const char* arguments[]{"true", nullptr};
                      ::execv("/bin/true", const_cast<char**>(arguments));
                      return errno == EPERM ? 1 : 0;
                    }),
             1);
    QCOMPARE(shutIn(places, [] { return ::kill(::getppid(), 0) != 0 ? 1 : 0; }), 1);
  }

  // One program may be started where that is said, and no other.
  void onlyTheOneProgramStarts() {
    if (!has("Landlock")) QSKIP("this kernel has no Landlock");
    const auto starts = [&](const char* program) {
      return shutIn({{}, m_dir.path().toStdString(), "/bin/true"}, [&] {
        const char* arguments[]{program, nullptr};
        ::execv(program, const_cast<char**>(arguments));
        return 7;
      });
    };
    QCOMPARE(starts("/bin/true"), 0);
    QCOMPARE(starts("/bin/false"), 7);
  }

  // A texture of the kit beside it, or anywhere in the plan's folder, is read; one of elsewhere is not, is told, and is
  // once its folder is allowed.
  void texturesOfElsewhere_data() {
    QTest::addColumn<QString>("names");  // what the mesh calls its texture
    QTest::addColumn<bool>("isOpen");
    QTest::newRow("beside") << "beside.png" << true;
    QTest::newRow("in the kit's textures") << "../textures/in-kit.png" << true;
    QTest::newRow("above the plan") << "../../../secret/outside.png" << false;
    QTest::newRow("absolute") << QString::fromStdString(at("secret/outside.png").string()) << false;
    QTest::newRow("through a link") << "linked.png" << false;
    QTest::newRow("in another spelling") << "..\\..\\..\\secret\\outside.png" << false;
  }
  void texturesOfElsewhere() {
    QFETCH(QString, names);
    QFETCH(bool, isOpen);
    fs::remove_all(at("work"));
    picture(at("work/plan/kit/meshes/beside.png"));
    picture(at("work/plan/kit/textures/in-kit.png"));
    picture(at("work/secret/outside.png"));
    picture(at("secret/outside.png"));
    fs::create_symlink(at("work/secret/outside.png"), at("work/plan/kit/meshes/linked.png"));
    write(at("work/plan/kit/meshes/look.mtl"), "newmtl skin\nKd 1 1 1\nmap_Kd " + names.toStdString() + "\n");
    write(at("work/plan/kit/meshes/look.obj"),
          "mtllib look.mtl\nusemtl skin\nv 0 0 0\nv 2 0 0\nv 0 0 1\nvt 0 0\nvt 1 0\nvt 0 1\nf 1/1 2/2 3/3\n");
    // "../../.." of the meshes is the folder above the plan's.
    DiskFileService files(at("work/plan").string());
    const auto read = [&](std::vector<Problem>& warnings) {
      auto mesh = files.surface("kit/meshes/look.obj", {}, warnings);
      return mesh ? (*mesh)->materialOf(0).texture != nullptr : false;
    };
    std::vector<Problem> warnings;
    QCOMPARE(read(warnings), isOpen);
    QCOMPARE(files.refusedBeside("kit/meshes/look.obj").empty(), isOpen);
    QCOMPARE(std::any_of(warnings.begin(), warnings.end(),
                         [](const Problem& p) { return p.message.find("lies outside") != std::string::npos; }),
             !isOpen);
    if (isOpen) return;
    files.setAllowed({at("work/secret").string(), at("secret").string()});
    warnings.clear();
    QVERIFY(read(warnings));
    QVERIFY2(warnings.empty(), warnings.empty() ? "" : warnings[0].message.c_str());
    files.setAllowed({});  // and not any more when it is taken back
    QVERIFY(!read(warnings));
  }

  void whatLiesWithin() {
    write(at("a/b/file"), "x");
    fs::create_directory_symlink(at("a"), at("link"));
    const std::vector<std::string> folders{at("a").string()};
    QVERIFY(isWithin(at("a/b/file").string(), folders));
    QVERIFY(isWithin(at("a/b/none").string(), folders));
    QVERIFY(isWithin(at("link/b/file").string(), folders));
    QVERIFY(!isWithin(at("a/../c").string(), folders));
    QVERIFY(!isWithin(at("ab").string(), folders));
    QVERIFY(!isWithin(at("a/b/file").string(), {}));
    QVERIFY(!isWithin(at("a/b/file").string(), {""}));
  }
};

QTEST_GUILESS_MAIN(TestSandbox)
#include "tst_sandbox.moc"
