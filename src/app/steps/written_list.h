// The files that were written lately: they can be dragged out of the window, into any program that takes files.
#pragma once

#include <QListWidget>

namespace yolk::app {

class WrittenList : public QListWidget {
    Q_OBJECT
public:
    explicit WrittenList(QWidget *parent = nullptr);
    void add(const QString &path, const QString &remark); ///< newest first; of many the last few stay
    QString chosenPath() const;                           ///< the newest where none is chosen; empty: there is none
    void showInFolder() const;

protected:
    QMimeData *mimeData(const QList<QListWidgetItem *> &items) const override;
};

} // namespace yolk::app
