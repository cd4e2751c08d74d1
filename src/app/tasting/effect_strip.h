// What a setting does, from none to much: five small pictures in a row, to choose by eye in place of reading a number.
#pragma once

#include "document/document.h"
#include "document/numeric_setting.h"

#include <QFrame>

class QLabel;

namespace yolk::app {

class TastingTiles;

class EffectStrip : public QFrame {
    Q_OBJECT
public:
    static constexpr int kPictures = 5;

    explicit EffectStrip(Document *document, QWidget *parent = nullptr);
    /// `setting` must live on. What works on single pixels is shown as a part of the picture at 100 %.
    void showSetting(const NumericSetting *setting, bool isFine);
    void setPlace(const QPointF &place); ///< of the picture, what such a part is taken round
    TastingTiles *tiles() const { return tiles_; }
    double valueOf(int index) const; ///< of a picture

protected:
    void showEvent(QShowEvent *event) override;

private:
    void makeTiles();
    void refresh(); ///< after the settings changed
    void ask();
    void take(const QString &key, const QImage &picture);
    void choose(int index);

    Document *document_;
    QLabel *name_;
    TastingTiles *tiles_;
    const NumericSetting *setting_ = nullptr;
    bool isFine_ = false;
    QPointF place_;
    std::optional<Recipe> shown_; ///< what the pictures were made from, with the setting at its start
    int round_ = 0;               ///< of what is shown; answers to an older one are not taken
};

} // namespace yolk::app
