#!/usr/bin/perl
# A daemon that behaves as its configuration says: `mode MODE`, read when it starts and on HUP.
# good: answers HTTP. fails: does not start. dies: ends after a second. loops: ends after 0.3 s.
# clings: leaves a process behind that keeps its port.
# late: takes nobody for 30 s. quits: answers, and ends after 3 s; leaves: after 6 s. silent: takes connections and never answers. deaf: goes on with what it had, whatever it is told.
use strict;
use IO::Socket::INET;

sub mode {
    open my $file, '<', '/etc/boards/boards.conf' or die "no configuration: $!";
    for (<$file>) { return $1 if /^mode (\w+)/ }
    die "no mode";
}
my $mode = mode();
die "cannot work like that\n" if $mode eq 'fails';
sleep 30 if $mode eq 'late';
my $socket = $ENV{LISTEN_FDS} ? IO::Socket::INET->new_from_fd(3, 'r+') : IO::Socket::INET->new(Listen => 9, LocalAddr => '127.0.0.1', LocalPort => 8571, ReuseAddr => 1) or die "port: $!";
if ($mode eq 'clings' && !fork) { fork and exit; $SIG{TERM} = 'IGNORE'; sleep 600; exit }
if ($mode eq 'loops') { select undef, undef, undef, 0.3; exit 3 }
$SIG{HUP} = sub {
    my $new = mode();
    return if $new eq 'deaf';
    $mode = $new;
    open my $note, '>', '/run/boards.loaded';
    print $note time, $$, rand, "\n";
    close $note;
};
$SIG{ALRM} = sub { exit 3 };
alarm 1 if $mode eq 'dies';
alarm 3 if $mode eq 'quits';
alarm 6 if $mode eq 'leaves';
if (my $file = $ENV{BOARDS_PID}) { open my $pid, '>', $file; print $pid "$$\n"; close $pid }
while (1) {
    my $client = $socket->accept or next;
    if ($mode eq 'silent') { sleep 600; next }
    my $request = <$client>;
    while (my $line = <$client>) { last if $line =~ /^\r?$/ }
    print $client "HTTP/1.0 200 OK\r\nContent-Type: text/plain\r\n\r\nmode $mode\n";
    close $client;
}
