// All that was done, in order; a click goes back there, or forth.
#pragma once

#include "document/document.h"

#include <QAbstractListModel>
#include <QWidget>

class QListView;

namespace yolk::app {

/// The states of a document's history: what led to each.
class HistoryModel : public QAbstractListModel {
    Q_OBJECT
public:
    explicit HistoryModel(Document *document, QObject *parent = nullptr);
    int rowCount(const QModelIndex &parent = {}) const override;
    QVariant data(const QModelIndex &index, int role) const override;
    void refresh();

private:
    Document *document_;
    int shown_ = 0;
};

class HistoryPanel : public QWidget {
    Q_OBJECT
public:
    explicit HistoryPanel(Document *document, QWidget *parent = nullptr);
    QListView *list() const { return list_; }

protected:
    void showEvent(QShowEvent *event) override;

private:
    void refresh();
    Document *document_;
    HistoryModel *model_;
    QListView *list_;
};

} // namespace yolk::app
