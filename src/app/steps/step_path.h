// The steps of the work, to be walked in any direction.
#pragma once

#include <QAbstractButton>
#include <QList>
#include <QWidget>

namespace yolk::app {

class StepTab : public QAbstractButton {
    Q_OBJECT
public:
    explicit StepTab(const QString &name, QWidget *parent);
    void setMarked(bool marked); ///< the step has changed something
    bool isMarked() const { return marked_; }
    QSize sizeHint() const override;
    QSize minimumSizeHint() const override; ///< the present step stays whole, the names of others are cut

protected:
    void paintEvent(QPaintEvent *) override;

private:
    bool marked_ = false;
};

/// Of all steps, in their order; with the letters that menus underline.
const QStringList &stepNames();

class StepPath : public QWidget {
    Q_OBJECT
public:
    explicit StepPath(QWidget *parent = nullptr);
    StepTab *tab(int index) const { return tabs_[index]; }
    void setCurrent(int index);
    int current() const;

Q_SIGNALS:
    void walked(int index);

protected:
    void paintEvent(QPaintEvent *) override;

private:
    QList<StepTab *> tabs_;
};

} // namespace yolk::app
