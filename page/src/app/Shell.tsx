import { Box, Flex, Text } from '@chakra-ui/react';
import { NavLink, Outlet } from 'react-router';
import { Intaking } from '../intake/Intaking';
import { Offline } from '../shared/Offline';

const pages = [
  { to: '/', label: 'Lots' },
  { to: '/sheets', label: 'Run sheets' },
  { to: '/specs', label: 'Listing specs' },
  { to: '/deliveries', label: 'Deliveries' },
  { to: '/intake', label: 'Intake' },
];

/** The slate header over every page but the bench, which has one of its own. */
export function Shell() {
  return (
    <Flex direction="column" height="100%">
      <Flex as="header" bg="slate" color="paper.raised" height="44px" px="14px" gap="6" align="center" flex="none">
        <Text fontWeight="700" fontSize="15px">
          Yard Chalk
        </Text>
        <Flex as="nav" aria-label="Main" gap="5" height="100%">
          {pages.map((page) => (
            <NavLink key={page.to} to={page.to} end={page.to !== '/'}>
              {({ isActive }) => (
                <Flex
                  align="center"
                  height="100%"
                  borderBottom="3px solid"
                  borderColor={
                    isActive || (page.to === '/' && location.pathname.startsWith('/lots')) ? 'white' : 'transparent'
                  }
                  pt="3px"
                >
                  {page.label}
                </Flex>
              )}
            </NavLink>
          ))}
        </Flex>
        <Box flex="1" />
        <Intaking />
        <Offline />
      </Flex>
      <Box flex="1" minHeight="0">
        <Outlet />
      </Box>
    </Flex>
  );
}
