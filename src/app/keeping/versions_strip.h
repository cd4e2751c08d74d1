// The versions of a picture as small pictures in a row, and what is thought of it.
#pragma once

#include "document/document.h"

#include <QFrame>

class QCheckBox;
class QLabel;
class QListWidget;
class QPushButton;

namespace yolk::app {

class EggRating;

class VersionsStrip : public QFrame {
    Q_OBJECT
public:
    explicit VersionsStrip(Document *document, QWidget *parent = nullptr);
    QListWidget *list() const { return list_; }
    EggRating *rating() const { return rating_; }
    QCheckBox *chosen() const { return chosen_; }
    QPushButton *bringBack() const { return bringBack_; }

Q_SIGNALS:
    void keepAsked(); ///< the present settings as a version

protected:
    void showEvent(QShowEvent *event) override;
    void hideEvent(QHideEvent *event) override;
    void keyPressEvent(QKeyEvent *event) override;

private:
    void refresh();
    void refreshPictures();
    void showMenu(const QPoint &at);
    Document *document_;
    QListWidget *list_;
    QLabel *empty_;
    QPushButton *bringBack_;
    EggRating *rating_;
    QCheckBox *chosen_;
};

} // namespace yolk::app
