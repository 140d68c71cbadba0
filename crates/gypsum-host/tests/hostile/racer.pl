#!/usr/bin/perl
# An account that owns a folder in which root works: it swaps the folder, the files in it and what waits beside them for
# links, pipes and other files, as fast as it can, with pauses of many lengths.
#
#   racer.pl HARBOUR BAIT    until it is ended; HARBOUR/conf is the folder, BAIT what its links lead to
use strict;
use warnings;
use POSIX qw(mkfifo);
use Time::HiRes qw(usleep);

my ($harbour, $bait) = @ARGV;
chdir $harbour or die "$harbour: $!";
srand 7;
my @names = ('boards.conf', '.boards.conf.gypsum-0001~', 'more.conf', 'new.conf', '.new.conf.gypsum-0001~');
my @new = grep { !/^(boards|more)/ } @names;
sub pause { usleep(int rand(shift)) }
sub spoil {    # something else than a file under this name
    my ($name, $what) = @_;
    if    ($what == 0) { symlink "$bait/boards.conf", $name }
    elsif ($what == 1) { mkfifo $name, 0666 }
    elsif ($what == 2) { mkdir $name }
    elsif ($what == 3) { link 'conf/more.conf', $name }
    else               { open my $file, '>', $name or return; print $file "rows 9\n" }
}
sub clear { my $name = shift; unlink $name or rmdir $name }
while (1) {
    my $name = 'conf/' . $names[rand @names];
    my $kind = int rand 4;
    if ($kind == 0) {
        # The whole folder becomes a link to another.
        rename 'conf', 'away' or next;
        symlink $bait, 'conf';
        pause(300);
        unlink 'conf';
        rename 'away', 'conf';
    } elsif ($kind == 1) {
        # The folder becomes another of one's own.
        rename 'conf', 'away' or next;
        mkdir 'conf';
        pause(200);
        clear("conf/$_") for @names;
        rmdir 'conf';
        rename 'away', 'conf';
    } elsif ($kind == 2) {
        rename $name, 'held' or next;
        spoil($name, int rand 5);
        pause(300);
        clear($name);
        rename 'held', $name;
    } else {
        # What root is about to make there.
        $name = 'conf/' . $new[rand @new];
        spoil($name, int rand 5);
        pause(300);
        clear($name);
    }
    # There is always a configuration to work on.
    for ('boards.conf', 'more.conf') {
        next if -f "conf/$_" and not -l "conf/$_";
        clear("conf/$_");
        open my $file, '>', "conf/$_" or next;
        print $file "rows 8\n";
    }
    pause(rand(2) < 1 ? 20_000 : 1_000);
}
