#include "app/window/recovery.h"

#include "app/model/words.h"
#include "core/base/safe_file.h"
#include "core/formats/plan_file.h"

#include <QDir>
#include <QFileInfo>
#include <QJsonArray>
#include <QJsonDocument>
#include <QJsonObject>
#include <QLockFile>
#include <QStandardPaths>
#include <QUuid>

#include <algorithm>

namespace arvesk {
namespace {

constexpr int kWaitMs = 15'000;       // from the first unsaved change to the first version
constexpr std::size_t kVersions = 8;  // of one plan
const QString kAbout = QStringLiteral("about.json");

/// Nobody else has the folder while this is held; whose program ended has let go of it, however long ago it was.
std::unique_ptr<QLockFile> lockOf(const QString& folder) {
  auto lock = std::make_unique<QLockFile>(QDir(folder).filePath(QStringLiteral("lock")));
  lock->setStaleLockTime(0);
  if (!lock->tryLock(0)) return nullptr;
  return lock;
}

std::optional<KeptWork> readWork(const QString& folder) {
  QFile about(QDir(folder).filePath(kAbout));
  if (!about.open(QIODevice::ReadOnly)) return {};
  const QJsonObject all = QJsonDocument::fromJson(about.readAll()).object();
  KeptWork work{folder, all.value(QStringLiteral("plan")).toString(), {}};
  for (const QJsonValue& entry : all.value(QStringLiteral("versions")).toArray()) {
    const QString file = QDir(folder).filePath(QFileInfo(entry[QStringLiteral("file")].toString()).fileName());
    if (QFileInfo(file).isFile())
      work.versions.push_back({file, QDateTime::fromString(entry[QStringLiteral("when")].toString(), Qt::ISODateWithMs),
                               entry[QStringLiteral("words")].toString()});
  }
  if (work.versions.empty()) return {};
  return work;
}

QString wordsOf(const Problem& problem) { return lineOf(problem); }

}  // namespace

/// The folder of this window's work; used by one thread at a time.
class Recovery::Store {
 public:
  QString keep(Plan plan, const QString& file, const QString& words, const QDateTime& when) {
    if (!open()) return tr("Unsaved work cannot be kept: %1 cannot be written").arg(QDir::toNativeSeparators(root()));
    plan.isReadOnly = false;
    m_work.plan = file;
    m_work.versions.insert(m_work.versions.begin(), {freeName(), when, words});
    const QString& path = m_work.versions.front().file;
    if (auto ok = savePlan(plan, path.toStdString()); !ok) {
      m_work.versions.erase(m_work.versions.begin());
      return tr("Unsaved work could not be kept: %1").arg(wordsOf(ok.error()));
    }
    std::vector<KeptVersion> old;
    while (m_work.versions.size() > kVersions) {
      old.push_back(m_work.versions.back());
      m_work.versions.pop_back();
    }
    if (auto ok = writeAbout(); !ok) return tr("Unsaved work could not be kept: %1").arg(wordsOf(ok.error()));
    for (const KeptVersion& version : old) QFile::remove(version.file);
    return {};
  }

  void drop() {
    if (m_work.folder.isEmpty()) return;
    m_lock.reset();
    QDir(m_work.folder).removeRecursively();
    m_work = {};
  }

  bool take(const KeptWork& work) {
    auto lock = lockOf(work.folder);
    if (!lock) return false;
    drop();
    m_lock = std::move(lock);
    m_work = work;
    return true;
  }

 private:
  bool open() {
    if (m_lock && QDir(m_work.folder).exists()) return true;
    m_lock.reset();
    m_work = {};
    m_work.folder = QDir(root()).filePath(QUuid::createUuid().toString(QUuid::WithoutBraces));
    // Plans are the user's own: nobody else reads them here.
    if (!QDir().mkpath(m_work.folder) ||
        !QFile::setPermissions(m_work.folder, QFile::ReadOwner | QFile::WriteOwner | QFile::ExeOwner))
      return false;
    m_lock = lockOf(m_work.folder);
    return m_lock != nullptr;
  }

  QString freeName() const {
    for (int n = 1;; ++n) {
      QString path = QDir(m_work.folder).filePath(QStringLiteral("%1.arvesk").arg(n, 4, 10, QLatin1Char('0')));
      if (!QFile::exists(path)) return path;
    }
  }

  Result<void> writeAbout() const {
    QJsonArray versions;
    for (const KeptVersion& v : m_work.versions)
      versions.append(QJsonObject{{QStringLiteral("file"), QFileInfo(v.file).fileName()},
                                  {QStringLiteral("when"), v.when.toString(Qt::ISODateWithMs)},
                                  {QStringLiteral("words"), v.words}});
    const QJsonObject all{{QStringLiteral("plan"), m_work.plan}, {QStringLiteral("versions"), versions}};
    return writeWhole(QDir(m_work.folder).filePath(kAbout).toStdString(), QJsonDocument(all).toJson().toStdString());
  }

  KeptWork m_work;
  std::unique_ptr<QLockFile> m_lock;
};

Recovery::Recovery(PlanModel* model, QObject* parent)
    : QObject(parent), m_model(model), m_store(std::make_shared<Store>()), m_worker(std::make_unique<Worker>()) {
  m_timer.setSingleShot(true);
  m_timer.setInterval(kWaitMs);
  connect(&m_timer, &QTimer::timeout, this, &Recovery::saveNow);
  connect(m_model, &PlanModel::changed, this, [this] {
    if (!m_timer.isActive() && !m_model->undoStack().isClean()) m_timer.start();
  });
}

Recovery::~Recovery() {
  m_worker.reset();  // ends what is under way; what still stands there is done here
  m_steps->run();
}

void Recovery::Steps::add(std::function<QString()> step) {
  const std::lock_guard lock(mutex);
  waiting.push_back(std::move(step));
}

QString Recovery::Steps::run() {
  const std::lock_guard alone(running);
  QString fault;
  for (;;) {
    std::function<QString()> step;
    {
      const std::lock_guard lock(mutex);
      if (waiting.empty()) return fault;
      step = std::move(waiting.front());
      waiting.pop_front();
    }
    if (const QString said = step(); !said.isEmpty()) fault = said;
  }
}

void Recovery::enqueue(std::function<QString()> step) {
  m_steps->add(std::move(step));
  m_worker->ask([this, steps = m_steps](const Task&) -> Worker::Answer {
    const QString fault = steps->run();
    // Told even when more was asked meanwhile.
    if (!fault.isEmpty()) m_worker->post([this, fault] { Q_EMIT failed(fault); });
    return {};
  });
}

QString Recovery::root() {
  return QDir(QStandardPaths::writableLocation(QStandardPaths::AppLocalDataLocation))
      .filePath(QStringLiteral("recovery"));
}

void Recovery::saveNow() {
  m_timer.stop();
  if (m_model->undoStack().isClean()) return;
  enqueue([store = m_store, plan = m_model->snapshot(), file = m_file, words = m_model->undoStack().undoText(),
           when = QDateTime::currentDateTime()] { return store->keep(*plan, file, words, when); });
}

void Recovery::discard() {
  m_timer.stop();
  enqueue([store = m_store] {
    store->drop();
    return QString();
  });
}

bool Recovery::takeOver(const KeptWork& work) {
  // The answer is needed now: what stands before it is done here too.
  bool isOurs = false;
  m_steps->add([&] {
    isOurs = m_store->take(work);
    return QString();
  });
  m_steps->run();
  return isOurs;
}

std::vector<KeptWork> Recovery::leftBehind() {
  std::vector<KeptWork> out;
  for (const QFileInfo& info : QDir(root()).entryInfoList(QDir::Dirs | QDir::NoDotAndDotDot)) {
    const auto lock = lockOf(info.absoluteFilePath());
    if (!lock) continue;  // its window lives
    if (auto work = readWork(info.absoluteFilePath())) out.push_back(std::move(*work));
  }
  std::sort(out.begin(), out.end(),
            [](const KeptWork& a, const KeptWork& b) { return a.versions.front().when > b.versions.front().when; });
  return out;
}

void Recovery::remove(const KeptWork& work) {
  if (!lockOf(work.folder)) return;  // another window has taken it over
  QDir(work.folder).removeRecursively();
}

}  // namespace arvesk
