// Unsaved work, kept while it is unsaved: each window has a folder of its own in the user's data, with the last
// versions of its plan. It goes when the work is saved or given up, and is found again after whatever else ended the
// program.
#pragma once

#include "app/model/plan_model.h"
#include "app/model/worker.h"

#include <QDateTime>
#include <QObject>
#include <QTimer>

#include <deque>

namespace arvesk {

struct KeptVersion {
  QString file;  // absolute
  QDateTime when;
  QString words;  // the last step before it
};

/// What a window that is no more left behind.
struct KeptWork {
  QString folder;
  QString plan;                       // where it was saved; empty for a new plan
  std::vector<KeptVersion> versions;  // the newest first; never empty
};

class Recovery : public QObject {
  Q_OBJECT

 public:
  explicit Recovery(PlanModel* model, QObject* parent = nullptr);
  /// What is kept stays, and may be found by others from then on.
  ~Recovery() override;
  /// Where the plan is saved; what is kept tells of it.
  void setFile(const QString& path) { m_file = path; }
  /// Keeps a version now, if there is something unsaved; on a thread of its own.
  void saveNow();
  /// Removes what was kept: the plan was saved, or its changes were given up.
  void discard();
  /// Goes on in the folder of what was left behind, which others do not find any more. Not when another has it.
  bool takeOver(const KeptWork& work);

  /// Below it are the folders.
  static QString root();
  /// Of windows that are no more, the newest first.
  static std::vector<KeptWork> leftBehind();
  static void remove(const KeptWork& work);

 Q_SIGNALS:
  /// Unsaved work could not be kept.
  void failed(const QString& line);

 private:
  class Store;
  void enqueue(std::function<QString()> step);

  PlanModel* m_model;
  QString m_file;
  QTimer m_timer;
  std::shared_ptr<Store> m_store;
  /// What is to be done, in order; a newer question to the worker does all that stands here.
  struct Steps {
    std::mutex running;                            // who does them
    std::mutex mutex;                              // of those that wait
    std::deque<std::function<QString()>> waiting;  // each gives what went wrong
    void add(std::function<QString()> step);
    /// Does all that wait; gives the last fault.
    QString run();
  };
  std::shared_ptr<Steps> m_steps = std::make_shared<Steps>();
  std::unique_ptr<Worker> m_worker;
};

}  // namespace arvesk
