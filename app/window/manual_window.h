// The manual's page of one node kind: made from the declaration, with its picture drawn when it is opened.
#pragma once

#include "app/model/worker.h"
#include "core/plan/node_kind.h"

#include <QDialog>
#include <QImage>

#include <map>

class QTextBrowser;

namespace arvesk {

class ManualWindow : public QDialog {
  Q_OBJECT

 public:
  explicit ManualWindow(QWidget* parent = nullptr);
  /// Of a kind by its id; the list of all kinds when it is empty or not known.
  void showPage(const QString& kind);
  /// Of a sub-plan.
  void showKind(std::shared_ptr<const NodeKind> kind);
  QString page() const { return m_kind; }
  bool hasPicture() const { return m_pictures.contains(m_kind); }

 private:
  void fill();

  std::map<QString, QImage> m_pictures;  // by kind
  QTextBrowser* m_text;
  QString m_kind;
  std::shared_ptr<const NodeKind> m_made;  // when it is no registered one
  Worker m_job;
};

}  // namespace arvesk
