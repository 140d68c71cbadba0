# In the lab: what a trial start adds to a good change of each daemon, in pairs with --no-trial, one after the other.
use strict;
use warnings;
use Time::HiRes qw(time sleep);

my $count = shift // 10;
my @cases = (
    ['nginx', 'systemctl start nginx', 'http..keepalive_timeout=61'],
    ['apache2', 'systemctl stop nginx; systemctl start apache2', 'Timeout=61'],
    ['haproxy', "printf 'frontend boards\\n\\tbind 127.0.0.1:8080\\n\\tmode http\\n\\thttp-request return status 200\\n' >> /etc/haproxy/haproxy.cfg; systemctl start haproxy", 'frontend boards..maxconn=61'],
    ['squid', 'systemctl start squid; sleep 2', 'shutdown_lifetime=2 seconds'],
    ['sshd', 'systemctl start ssh', 'ClientAliveInterval=61'],
    ['named', 'systemctl start named', 'options..tcp-clients=161'],
    ['unbound', 'systemctl stop named; systemctl start unbound', 'server..cache-min-ttl=61'],
    ['dnsmasq', 'systemctl stop unbound; systemctl start dnsmasq', 'local-ttl=61'],
    ['dovecot', 'systemctl start dovecot; sleep 1', 'mail_max_userip_connections=61'],
    ['redis', 'systemctl start redis-server', 'timeout=61'],
    ['php-fpm', 'systemctl start php8.2-fpm', 'www..pm.max_children=6'],
    ['chrony', 'systemctl start chrony', 'maxchange=1000 1 2'],
    ['samba', 'systemctl start smbd', 'global..max log size=999'],
    ['postfix', 'systemctl stop dnsmasq; systemctl start postfix@-.service; sleep 2', 'smtpd_timeout=61s'],
    ['mariadb', 'systemctl start mariadb', 'mysqld..max_connections=61'],
    ['tomcat', 'systemctl stop haproxy; systemctl start tomcat10; sleep 6', 'JAVA_OPTS=-Xmx200m'],
);

sub median { my @sorted = sort { $a <=> $b } @_; $sorted[@sorted / 2] }

print "| daemon | without | with a trial start | it adds |\n|---|---|---|---|\n";
for my $case (@cases) {
    my ($daemon, $start, $edit) = @$case;
    system("($start) >/dev/null 2>&1") == 0 or die "$daemon does not start";
    my %took;
    for (0 .. $count) {
        for my $how ('--no-trial', '--trial') {
            my $begun = time;
            my $said = `gypsum change $daemon -n $how '$edit' 2>&1`;
            die "$daemon: $said" if $? or ($how eq '--trial') != ($said =~ /a trial\s+start of/) or $said =~ /proves\s+nothing/;
            # The first pair warms up.
            push @{ $took{$how} }, 1000 * (time - $begun) if $_;
            sleep 0.1;
        }
    }
    my ($without, $with) = map { median(@{ $took{$_} }) } '--no-trial', '--trial';
    printf "| %s | %.0f ms | %.0f ms | %.0f ms |\n", $daemon, $without, $with, $with - $without;
}
