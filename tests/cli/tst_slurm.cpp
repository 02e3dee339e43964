// Tiles through a batch engine: a Slurm of one node that the test starts itself, on the loopback address with all its
// state in a temporary folder. Jobs and a daemon are killed meanwhile; what comes out is the whole.
#include "tests/support/runs.h"

#include <QDir>
#include <QElapsedTimer>
#include <QStandardPaths>
#include <QThread>

#include <arpa/inet.h>
#include <sys/socket.h>
#include <sys/stat.h>
#include <unistd.h>

#include <csignal>

using namespace arvesk;
using namespace arvesk::test;

namespace {

/// A port of the loopback address that nobody listens at now.
int freePort() {
  const int s = ::socket(AF_INET, SOCK_STREAM, 0);
  sockaddr_in address{};
  address.sin_family = AF_INET;
  address.sin_addr.s_addr = htonl(INADDR_LOOPBACK);
  socklen_t size = sizeof address;
  int port = 0;
  if (::bind(s, reinterpret_cast<sockaddr*>(&address), size) == 0 &&
      ::getsockname(s, reinterpret_cast<sockaddr*>(&address), &size) == 0)
    port = ntohs(address.sin_port);
  ::close(s);
  return port;
}

QByteArray readAll(const QString& path) {
  QFile file(path);
  return file.open(QIODevice::ReadOnly) ? file.readAll() : QByteArray();
}

void endProcess(const QString& pidFile, int signal) {
  const int pid = readAll(pidFile).trimmed().toInt();
  if (pid > 1) ::kill(pid, signal);
}

/// Running arvesk-run processes that work tiles of the folder out.
QList<int> workersOf(const QString& folder) {
  QList<int> out;
  for (const QString& entry : QDir(QStringLiteral("/proc")).entryList(QDir::Dirs)) {
    const int pid = entry.toInt();
    if (pid <= 0) continue;
    const QList<QByteArray> words = readAll(QStringLiteral("/proc/%1/cmdline").arg(pid)).split('\0');
    if (words.size() > 3 && words[0].endsWith("arvesk-run") && words.contains(folder.toUtf8()) &&
        words.contains("--share"))
      out << pid;
  }
  return out;
}

}  // namespace

class TestSlurm : public QObject {
  Q_OBJECT

 private Q_SLOTS:
  void initTestCase() {
    QVERIFY(m_dir.isValid());
    for (const char* program : {"munged", "slurmctld", "slurmd", "sbatch", "squeue", "scancel"}) {
      const QString path = QStandardPaths::findExecutable(
          QLatin1String(program), QString::fromLocal8Bit(qgetenv("PATH") + ":/usr/sbin:/sbin").split(QLatin1Char(':')));
      if (path.isEmpty()) QSKIP(qPrintable(QStringLiteral("no Slurm on this machine: %1").arg(QLatin1String(program))));
      m_programs[QLatin1String(program)] = path;
    }
    // munged wants to be reached by everybody, and its key by nobody.
    QVERIFY(::chmod(qPrintable(m_dir.path()), 0711) == 0);
    const QString name = QSysInfo::machineHostName().section(QLatin1Char('.'), 0, 0);
    const QString user = QString::fromLocal8Bit(qgetenv("USER"));
    QFile key(at("munge.key"));
    QVERIFY(key.open(QIODevice::WriteOnly));
    QVERIFY(::chmod(qPrintable(key.fileName()), 0600) == 0);
    key.write(QByteArray(1024, 'k'));
    key.close();
    QVERIFY(QDir().mkpath(at("state")) && QDir().mkpath(at("spool")));
    QFile conf(at("slurm.conf"));
    QVERIFY(conf.open(QIODevice::WriteOnly));
    conf.write(QStringLiteral("ClusterName=one\nSlurmctldHost=%1(127.0.0.1)\nSlurmctldPort=%2\nSlurmdPort=%3\n"
                              "AuthType=auth/munge\nAuthInfo=socket=%4/munge.socket\n"
                              "StateSaveLocation=%4/state\nSlurmdSpoolDir=%4/spool\n"
                              "SlurmctldPidFile=%4/slurmctld.pid\nSlurmdPidFile=%4/slurmd.pid\n"
                              "SlurmctldLogFile=%4/slurmctld.log\nSlurmdLogFile=%4/slurmd.log\n"
                              "ProctrackType=proctrack/pgid\nTaskPlugin=task/none\nSelectType=select/cons_tres\n"
                              "SelectTypeParameters=CR_CPU\nSlurmdParameters=config_overrides\nReturnToService=2\n"
                              "SchedulerParameters=batch_sched_delay=0,sched_interval=1\nMpiDefault=none\n"
                              "JobAcctGatherType=jobacct_gather/none\nSlurmdTimeout=5\nSlurmUser=%5\nSlurmdUser=%5\n"
                              "NodeName=%1 NodeAddr=127.0.0.1 CPUs=4 State=UNKNOWN\n"
                              "PartitionName=all Nodes=ALL Default=YES MaxTime=INFINITE State=UP\n"
                              "PartitionName=other Nodes=ALL MaxTime=INFINITE State=UP\n")
                   .arg(name)
                   .arg(freePort())
                   .arg(freePort())
                   .arg(m_dir.path(), ::geteuid() == 0 ? QStringLiteral("root") : user)
                   .toUtf8());
    conf.close();
    qputenv("SLURM_CONF", conf.fileName().toUtf8());
    const bool isUp = start("munged", {"--socket=" + at("munge.socket"), "--key-file=" + at("munge.key"),
                                       "--pid-file=" + at("munged.pid"), "--log-file=" + at("munged.log"),
                                       "--seed-file=" + at("munge.seed")}) &&
                      start("slurmctld", {"-c"}) && start("slurmd", {});
    bool isIdle = false;
    for (int k = 0; isUp && k < 120 && !isIdle; ++k) {
      QThread::msleep(500);
      isIdle = QString::fromUtf8(said("sinfo", {"--noheader", "--format=%T"})).contains(QStringLiteral("idle"));
    }
    if (!isIdle)
      QSKIP(qPrintable(
          QStringLiteral("Slurm does not start here: %1 %2")
              .arg(QString::fromUtf8(m_lastWords), QString::fromUtf8(readAll(at("slurmctld.log")).right(300)))));
  }

  void init() {
    if (!m_whole.empty()) return;
    const QString whole = m_dir.filePath(QStringLiteral("whole.csv"));
    QCOMPARE(run({"export", slope(), "--to", whole, "--quiet"}).status, 0);
    m_whole = rowsOf(whole);
    QVERIFY(m_whole.size() > 500);
  }

  void cleanupTestCase() {
    for (const char* daemon : {"slurmd.pid", "slurmctld.pid", "munged.pid"}) endProcess(at(daemon), SIGKILL);
  }

  /// 64 tiles; a third of the jobs is ended by the engine or by a signal, and the node's daemon dies once.
  void killedJobsAreMadeAgain() {
    const QString folder = m_dir.filePath(QStringLiteral("tiles"));
    QProcess p;
    p.start(binPath("arvesk-run"), words(folder) + QStringList{"--jobs", "64", "--partition", "other"});
    QVERIFY(p.waitForStarted());
    const auto done = [&] {
      return QDir(folder + QStringLiteral("/tiles")).entryList({QStringLiteral("*.csv")}).size();
    };
    int killed = 0, cancelled = 0;
    bool isDaemonKilled = false;
    QElapsedTimer down;
    while (p.state() == QProcess::Running) {
      p.waitForFinished(5);
      for (const int pid : workersOf(folder))
        if (killed < 5 && ::kill(pid, SIGKILL) == 0) ++killed;
      if (cancelled == 0) {
        const QByteArray queue = said("squeue", {"--noheader", "--format=%A", "--partition=other"});
        const QByteArray job = queue.split('\n').first().trimmed();
        if (!job.isEmpty()) {
          said("scancel", {QString::fromUtf8(job) + QStringLiteral("_[30-45]")});
          cancelled = 16;
        }
      }
      if (!isDaemonKilled && done() > 3) {
        endProcess(at("slurmd.pid"), SIGKILL);
        isDaemonKilled = true;
        down.start();
      }
      if (isDaemonKilled && down.isValid() && down.elapsed() > 8'000) {  // it is missed after five seconds
        QVERIFY(start("slurmd", {}));
        down.invalidate();
      }
    }
    const Ran sent = ended(p);
    QVERIFY2(sent.status == 0, qPrintable(sent.err + sent.out + QString::fromUtf8(readAll(at("slurmctld.log")))));
    QVERIFY(isDaemonKilled);
    QCOMPARE(killed, 5);
    QCOMPARE(cancelled, 16);
    QVERIFY2(sent.err.contains(QStringLiteral("Sent again")), qPrintable(sent.err));
    QVERIFY(manifestOf(folder)[QStringLiteral("tiles")].toArray().size() >= 64);
    QVERIFY(rowsOfTiles(folder) == m_whole);
    // All of them stay, without a job.
    const Ran again = run(words(folder));
    QCOMPARE(again.status, 0);
    QVERIFY2(again.out.contains(QStringLiteral("tiles were done and stayed")), qPrintable(again.out));
  }

  /// Whoever sent them may go: a later call finds the jobs and takes their tiles up.
  void theSenderMayGo() {
    const QString folder = m_dir.filePath(QStringLiteral("left"));
    QProcess p;
    p.start(binPath("arvesk-run"), words(folder) + QStringList{"--jobs", "12", "--sbatch=--begin=now+5"});
    QVERIFY(p.waitForStarted());
    QTRY_VERIFY_WITH_TIMEOUT(!queue().isEmpty() || p.state() != QProcess::Running, 60'000);
    p.kill();
    const Ran gone = ended(p);
    QVERIFY2(!queue().isEmpty(), qPrintable(gone.err + gone.out));
    const Ran later = run(words(folder) + QStringList{"--jobs", "12"});
    QVERIFY2(later.status == 0, qPrintable(later.err));
    QVERIFY(rowsOfTiles(folder) == m_whole);
    QCOMPARE(QDir(folder + QStringLiteral("/jobs")).entryList({QStringLiteral("*_0.log")}).size(), 1);  // sent once
  }

  void whatTheEngineRefusesIsSaid() {
    const Ran refused = run(words(m_dir.filePath(QStringLiteral("refused"))) + QStringList{"--partition", "nowhere"});
    QCOMPARE(refused.status, 1);
    QVERIFY2(refused.err.contains(QStringLiteral("Slurm did not take the jobs")) &&
                 refused.err.contains(QStringLiteral("partition")),
             qPrintable(refused.err));
  }

 private:
  QTemporaryDir m_dir;
  QHash<QString, QString> m_programs;
  QByteArray m_lastWords;
  std::multiset<QByteArray> m_whole;

  QString at(const char* name) const { return m_dir.filePath(QLatin1String(name)); }
  static QString slope() { return sourcePath("demo/examples/one-slope.arvesk"); }
  static QStringList words(const QString& folder) {
    return {"tiles", slope(), "--size", "4", "--to", folder, "--format", "csv", "--on", "slurm"};
  }
  bool start(const char* program, const QStringList& arguments) {
    QProcess p;
    p.setProcessChannelMode(QProcess::MergedChannels);
    p.setStandardOutputFile(QProcess::nullDevice());
    p.start(m_programs[QLatin1String(program)], arguments);
    const bool isDone = p.waitForFinished(60'000) && p.exitCode() == 0;
    if (!isDone) m_lastWords = QByteArray(program) + " ended badly.";
    return isDone;
  }
  static QByteArray said(const char* program, const QStringList& arguments) {
    QProcess p;
    p.start(QLatin1String(program), arguments);
    p.waitForFinished(60'000);
    return p.readAllStandardOutput();
  }
  static QByteArray queue() { return said("squeue", {"--noheader", "--format=%A"}); }
};

QTEST_GUILESS_MAIN(TestSlurm)
#include "tst_slurm.moc"
