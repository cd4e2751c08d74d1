// Many sets at once: cards, the frames of the one at hand, and what is done with all of them.
#pragma once

#include "sets/frames_strip.h"
#include "sets/set_grid.h"
#include "sets/sets_panel.h"

#include <QWidget>

namespace yolk::app {

class SetsView : public QWidget {
    Q_OBJECT
public:
    SetsView(Collection *collection, PresetShelf *presets, ExportShelf *exports, int panelWidth,
             QWidget *parent = nullptr);
    SetGrid *grid() const { return grid_; }
    FramesStrip *frames() const { return frames_; }
    SetsPanel *panel() const { return panel_; }
    SetRun *run() const { return run_; }
    QString heading() const;
    void setCurrent(int set);   ///< the one that is open; -1: none
    QList<int> actedOn() const; ///< those that are selected; when at most one is, all that are shown

Q_SIGNALS:
    void openAsked(int set);
    void ratingAsked(const QList<int> &sets, int eggs);
    void choosingAsked(const QList<int> &sets);

private:
    void refresh();
    void joinSelected();
    void showProgress();
    Collection *collection_;
    SetRun *run_;
    SetGrid *grid_;
    FramesStrip *frames_;
    SetsPanel *panel_;
    QLabel *heading_;
};

} // namespace yolk::app
