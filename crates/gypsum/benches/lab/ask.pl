# Asks `$ARGV[0]` (host:port, or host:port/path for an HTTP answer below 400) every 10 ms until /run/asked goes away;
# prints for how many milliseconds it was not well.
use IO::Socket::INET; use Time::HiRes qw(time sleep);
my ($at, $path) = $ARGV[0] =~ m{^([^/]+)(/.*)?$};
my ($away, $last) = (0, time);
while (-e '/run/asked') {
    my $well = 0;
    if (my $s = IO::Socket::INET->new(PeerAddr => $at, Timeout => 1)) {
        if (defined $path) {
            print $s "GET $path HTTP/1.0\r\nHost: localhost\r\n\r\n";
            my $line = <$s>;
            $well = defined $line && $line =~ m{^HTTP/\S+ [123]};
        } else { $well = 1 }
    }
    my $now = time;
    $away += $now - $last unless $well;
    $last = $now;
    sleep 0.01;
}
printf "%.0f\n", $away * 1000;
