// A lens is chosen from all that lens data list.
#pragma once

#include <QDialog>

class QLineEdit;
class QListWidget;
class QPushButton;

namespace yolk::app {

class LensDialog : public QDialog {
    Q_OBJECT
public:
    /// `present`: what is chosen now; empty: by the metadata.
    LensDialog(const QStringList &lenses, const QString &present, QWidget *parent = nullptr);
    QString chosen() const; ///< the same
    QLineEdit *search() const { return search_; }
    QListWidget *list() const { return list_; }

protected:
    bool eventFilter(QObject *watched, QEvent *event) override;

private:
    void narrow();
    QLineEdit *search_;
    QListWidget *list_;
    QPushButton *take_;
};

} // namespace yolk::app
