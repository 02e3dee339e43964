// What could not be read of the open plan: the files that are missing or broken, with who needs them and what that
// costs, to be found again one by one or by folder; and what was wrong in the plan itself.
#pragma once

#include "app/model/plan_model.h"
#include "app/model/worker.h"
#include "core/deliver/unread_files.h"

#include <QDialog>

class QLabel;
class QPushButton;
class QTreeWidget;

namespace arvesk {

class MissingWindow : public QDialog {
  Q_OBJECT

 public:
  explicit MissingWindow(PlanModel* model, QWidget* parent = nullptr);
  /// Relative paths start at `folder`.
  void showFiles(const std::vector<UnreadFile>& files, const QString& folder);
  /// Another file in place of one, wherever the plan names it. Of the others that stand beside it, those are found too.
  void findAgain(const std::string& path, const QString& file);
  /// Looks for all of them below a folder; on a thread of its own.
  void findBelow(const QString& folder);

 Q_SIGNALS:
  /// What could not be read is to be read again.
  void tryAgainWanted();
  /// Files in this folder may be read.
  void allowWanted(const QString& folder);

 private:
  void showWhatHelps();
  void say(const QString& words);
  const UnreadFile* current() const;

  PlanModel* m_model;
  QString m_folder;
  std::vector<UnreadFile> m_files;
  QLabel* m_words;
  QTreeWidget* m_list;
  QLabel* m_message;
  QPushButton* m_find;
  QPushButton* m_below;
  QPushButton* m_allow;
  Worker m_worker;
};

}  // namespace arvesk
